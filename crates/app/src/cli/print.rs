//! Printing: results to stdout, messages to stderr, progress to whoever watches.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::io::{self, IsTerminal as _, Write};
use std::sync::OnceLock;
use std::time::{Duration, Instant};

use clap::builder::StyledStr;
use clap::builder::styling::{AnsiColor, Style};
use indicatif::{ProgressBar, ProgressStyle};
use jolly_core::CancelToken;
use jolly_core::format::is_harmless;
use jolly_core::rule::Class;
use jolly_core::run::{ClassProgress, SweepEvent};
use jolly_core::survey::CopyNews;
use jolly_core::walk::{ScanEvent, TreeNews};
use jolly_core::wiping::WipeProgress;

use crate::exit::{Exit, Refusal};
use crate::options::Talk;
use crate::wiping::progress_in_words;
use crate::wording::{age, bytes, count};

/// How much is told. The command line is read once, before anything is printed.
static TALK: OnceLock<Talk> = OnceLock::new();

/// Says how much is told.
pub(super) fn set_talk(talk: Talk) {
    // Only the first one counts, and there is only one.
    TALK.get_or_init(|| talk);
}

/// How much is told.
pub(super) fn talk() -> Talk {
    TALK.get().copied().unwrap_or_default()
}

/// Writes something that is good to know, unless only results and errors are wanted.
pub(super) fn note(text: &str) {
    if !talk().quiet {
        message(text);
    }
}

/// Writes a message for the person. It may quote what somebody typed or a disk holds, so whatever
/// could break the terminal is made visible.
pub(super) fn message(text: &str) {
    let mut harmless = String::with_capacity(text.len());
    for letter in text.chars() {
        if letter == '\n' || is_harmless(letter) {
            harmless.push(letter);
        } else {
            harmless.extend(letter.escape_unicode());
        }
    }
    let text = harmless;
    // Nobody is left to tell when stderr is gone.
    drop(writeln!(io::stderr().lock(), "{text}"));
}

/// Writes a result.
pub(super) fn result(write: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> Result<(), Refusal> {
    let mut out = io::BufWriter::new(io::stdout().lock());
    match write(&mut out).and_then(|()| out.flush()) {
        // Whoever read the beginning may have seen enough.
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
        Err(error) => Err(Refusal::failed(&error, "the result could not be written")),
        Ok(()) => Ok(()),
    }
}

/// Text in the colour of a class, on a terminal that has colours and wants them (`NO_COLOR`).
pub(super) fn painted(class: Class, text: &str) -> String {
    let wants_none = std::env::var_os("NO_COLOR").is_some_and(|set| !set.is_empty());
    if wants_none || !io::stdout().is_terminal() {
        return text.to_owned();
    }
    let colour = match class {
        Class::Spent => AnsiColor::Cyan,
        Class::Regrows => AnsiColor::Blue,
        Class::Felt => AnsiColor::Magenta,
        Class::Ask => AnsiColor::Red,
    };
    let style = Style::new().fg_color(Some(colour.into())).bold();
    format!("{style}{text}{style:#}")
}

/// Writes a help, with its styles on a terminal.
pub(super) fn help(text: &StyledStr) -> Exit {
    let out = io::stdout();
    let written = if out.is_terminal() {
        write!(out.lock(), "{}", text.ansi())
    } else {
        write!(out.lock(), "{text}")
    };
    written.map_or(Exit::Failed, |()| Exit::Done)
}

/// Writes a JSON object on one line.
pub(super) fn json(value: &serde_json::Value) -> Result<(), Refusal> {
    result(|out| {
        jolly_core::format::write_json(&mut *out, value)?;
        writeln!(out)
    })
}

/// A token that the keyboard's interrupt and a polite kill cancel.
pub(super) fn cancel_on_interrupt() -> Result<CancelToken, Refusal> {
    let token = CancelToken::default();
    let asked = token.clone();
    ctrlc::set_handler(move || asked.cancel()).map_err(|error| Refusal {
        exit: Exit::Failed,
        message: error.to_string(),
    })?;
    Ok(token)
}

/// A progress bar on a terminal; none elsewhere, or where none is wanted.
pub(super) struct Progress {
    bar: ProgressBar,
    began: Instant,
    /// Names and bytes by place, and of all places together.
    places: RefCell<(ByPlace, u64, u64)>,
}

/// Names and bytes by place.
type ByPlace = BTreeMap<usize, (u64, u64)>;

/// How far work is whose end is known, with its rate and what is left.
const BAR: &str = "{spinner} {bar:30} {pos} of {len} {msg}  {per_sec}, {eta} left";

impl Progress {
    pub(super) fn new() -> Self {
        let (places, began) = (RefCell::default(), Instant::now());
        let talk = talk();
        if !io::stderr().is_terminal() || talk.quiet || talk.no_progress {
            let bar = ProgressBar::hidden();
            return Self { bar, began, places };
        }
        let bar = ProgressBar::new_spinner();
        let style = ProgressStyle::with_template("{spinner} {msg}");
        bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()));
        bar.enable_steady_tick(Duration::from_millis(120));
        Self { bar, began, places }
    }

    pub(super) fn scan(&self, event: &ScanEvent) {
        let ScanEvent::Counted {
            place,
            looked_at,
            bytes: held,
            ..
        } = event
        else {
            return;
        };
        // Several places are walked at once: what counts is all of them.
        let mut known = self.places.borrow_mut();
        let (places, names, found) = &mut *known;
        let before = places.insert(place.0, (*looked_at, *held));
        let (names_before, held_before) = before.unwrap_or_default();
        *names = names.saturating_add(looked_at.saturating_sub(names_before));
        *found = found.saturating_add(held.saturating_sub(held_before));
        let (names, found) = (*names, *found);
        let passed = self.began.elapsed().as_millis().max(1);
        let rate = u64::try_from(u128::from(names) * 1000 / passed).unwrap_or(u64::MAX);
        let text = format!(
            "{} files and folders, {} a second, {} found",
            count(names),
            count(rate),
            bytes(found)
        );
        self.bar.set_message(text);
    }

    pub(super) fn walk(&self, news: &TreeNews) {
        let held = news.top.iter().map(|(_, held)| held).sum();
        let text = format!(
            "{} files and folders, {} counted",
            count(news.looked_at),
            bytes(held)
        );
        self.bar.set_message(text);
    }

    pub(super) fn copies(&self, news: CopyNews) {
        let (done, of) = news.files;
        self.far(done, of, format!("files, {} read", bytes(news.bytes)));
    }

    pub(super) fn sweep(&self, event: &SweepEvent) {
        let freed = event.classes.values().map(ClassProgress::freed).sum();
        self.far(
            event.done,
            event.of,
            format!("items, {} freed", bytes(freed)),
        );
    }

    pub(super) fn restore(&self, done: u64, of: u64) {
        self.far(done, of, "items".to_owned());
    }

    /// So many bytes of files went through, of so many where that is known.
    pub(super) fn moved(&self, done: u64, of: u64) {
        let text = match of {
            0 => format!("{} read", bytes(done)),
            of => format!("{} of {} read", bytes(done), bytes(of)),
        };
        self.bar.set_message(text);
    }

    /// So much is written over, or read back.
    pub(super) fn wiping(&self, at: &WipeProgress) {
        // Every pass and the reading back take about as long as each other.
        let (done, of) = at.gone_over();
        let left = self.left(done, of);
        let written = progress_in_words(at);
        self.bar.set_message(format!("{written}{left}"));
    }

    /// How long the rest takes, as far as that can be told.
    fn left(&self, done: u64, of: u64) -> String {
        let passed = self.began.elapsed().as_secs();
        let rest = of.saturating_sub(done);
        match (u128::from(passed) * u128::from(rest)).checked_div(u128::from(done)) {
            Some(left) if passed > 1 => {
                format!(", {} left", age(u64::try_from(left).unwrap_or(u64::MAX)))
            }
            _ => String::new(),
        }
    }

    fn far(&self, done: u64, of: u64, text: String) {
        if self.bar.length() != Some(of) {
            self.bar.set_length(of);
            if let Ok(style) = ProgressStyle::with_template(BAR) {
                self.bar.set_style(style);
            }
        }
        self.bar.set_message(text);
        self.bar.set_position(done);
    }

    pub(super) fn end(&self) {
        self.bar.finish_and_clear();
    }
}
