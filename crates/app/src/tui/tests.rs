//! The interface without a terminal: keys go into `update`, effects are done on the spot, and
//! every frame is drawn into a buffer.

#![allow(clippy::string_slice, reason = "a test that can't go on says so")]

use std::os::unix::fs::MetadataExt as _;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use jolly_core::CancelToken;
use jolly_core::decide::Decisions;
use jolly_core::run::Pause;
use jolly_core::walk::ScanEvent;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::options::{Looks, SharedOptions};
use crate::session::Session;
use crate::tui::model::{Check, Context, Model, Origin, Overlay, Rehearsal, Station};
use crate::tui::msg::{Effect, Keeping, Lookup, Msg, RunWork, WipeNews};
use crate::tui::theme::Theme;
use crate::tui::update::{start_scan, update};
use crate::tui::{answer, keys, lookups, pans, view, worker};

mod coming_back;
mod copies;
mod guidance;
mod programs;
mod space;
mod stalls;
mod upkeep;
mod weighing;

/// The moment of the tests.
const NOW: &str = "2026-09-21T14:13:20Z";
const NOW_SECONDS: i64 = 1_790_000_000;

/// The interface on a demo computer, with threads' work done on the spot.
struct TestUi {
    dir: tempfile::TempDir,
    options: SharedOptions,
    model: Model,
    /// What is typed to a command before it has begun.
    typed_ahead: Vec<u8>,
}

/// An ordinary person can't throw the demo's locked folder away as it stands.
impl Drop for TestUi {
    fn drop(&mut self) {
        drop(jolly_demo::make_removable(&self.dir.path().join("till")));
    }
}

impl TestUi {
    fn new() -> Self {
        Self::with(&[])
    }

    fn with(exclude: &[&str]) -> Self {
        let dir = tempfile::tempdir().unwrap();
        let root = dir.path().join("till");
        jolly_demo::build(&root, jolly_demo::DemoLayout::Linux, NOW_SECONDS).unwrap();
        let options = SharedOptions {
            now: Some(NOW.to_owned()),
            state: Some(dir.path().join("state")),
            config: Some(dir.path().join("config")),
            exclude: exclude.iter().map(ToString::to_string).collect(),
            ..SharedOptions::default()
        };
        let session = Arc::new(Session::open(&options, &root).unwrap());
        let selection = session.selection(&options).unwrap();
        let mut model = Model::new();
        let volume = session.target.measure().unwrap();
        model.open(session, selection, volume);
        model.station = Station::Scan;
        Self {
            dir,
            options,
            model,
            typed_ahead: Vec::new(),
        }
    }

    /// Scans and stands at weigh.
    fn scanned(mut self) -> Self {
        for effect in start_scan(&mut self.model) {
            self.carry_out(effect);
        }
        self
    }

    fn root(&self) -> PathBuf {
        self.dir.path().join("till")
    }

    fn tell(&mut self, message: Msg) {
        for effect in update(&mut self.model, message) {
            self.carry_out(effect);
        }
    }

    fn look_up(&self, lookup: Lookup) -> Msg {
        match lookup {
            Lookup::FindComputers => Msg::Found(vec![(self.root(), Origin::Mounted)], Vec::new()),
            Lookup::Arrive(root) => {
                let looked = lookups::arrive(&self.options, &root);
                Msg::Arrived(root, looked)
            }
            Lookup::Complete(text) => {
                let folders = lookups::complete(&text);
                Msg::Completed(text, folders)
            }
            Lookup::Explain(session, text) => {
                let (answer, rule) = lookups::explain_path(&session, &text);
                Msg::Explained(answer, rule)
            }
            Lookup::CompleteInside(session, text) => {
                let folders = answer::complete_inside(&session, &text);
                Msg::Completed(text, folders)
            }
            Lookup::OpenComputer => {
                unreachable!("the interface has opened its computer")
            }
        }
    }

    fn carry_out(&mut self, effect: Effect) {
        let never = CancelToken::default();
        let message = match effect {
            Effect::Run(
                RunWork::StopScan
                | RunWork::StopSweep
                | RunWork::HoldSweep
                | RunWork::Type(_)
                | RunWork::GoOn,
            )
            | Effect::LetGo(_) => return,
            Effect::Run(RunWork::Wipe(order)) => {
                let (send, news) = crossbeam_channel::unbounded();
                let control = (&CancelToken::default(), &Pause::default());
                let wiped = crate::tui::wipes::carry_out(&order, control, &send);
                for message in news.try_iter() {
                    self.tell(message);
                }
                Msg::Wiping(WipeNews::Ended(wiped))
            }
            Effect::Run(RunWork::Command(job)) => {
                let (send, wrote) = crossbeam_channel::unbounded();
                let (typed, keys) = crossbeam_channel::unbounded();
                typed.send(std::mem::take(&mut self.typed_ahead)).unwrap();
                let end = crate::tui::command::run(&job, &keys, &send);
                for message in wrote.try_iter() {
                    self.tell(message);
                }
                Msg::CommandEnded(end)
            }
            Effect::Files(work) => pans::carry_out(work),
            Effect::Lookup(lookup) => self.look_up(lookup),
            Effect::Keep(session, keeping) => Msg::Kept(super::keeping::keep(&session, keeping)),
            Effect::ChangePlaces(session, change) => {
                let changed = answer::change_places(&session, &self.options, &change);
                Msg::PlacesChanged(Box::new(changed))
            }
            Effect::Question(question) => {
                let (send, _receive) = crossbeam_channel::bounded(1);
                answer::answer(question, &never, &send)
            }
            Effect::Run(RunWork::Scan(job)) => {
                let (send, _receive) = crossbeam_channel::bounded(1);
                let number = job.job;
                let scanned = worker::scan(&job, &never, &send);
                Msg::Scanned(number, scanned)
            }
            Effect::Run(RunWork::List(job, session, scan, decisions)) => {
                let made = Check::of(&session, scan, &decisions);
                Msg::Listed(job, Some(Box::new(made)))
            }
            Effect::Run(RunWork::Rehearse(job, session, scan, manifest)) => {
                Msg::Rehearsed(job, worker::rehearse(&session, &scan, &manifest))
            }
            Effect::Run(RunWork::Sweep(order)) => {
                let (send, _receive) = crossbeam_channel::bounded(1);
                let swept = worker::carry_out(&order, &(never, Pause::default()), &send);
                Msg::Swept(swept)
            }
        };
        self.tell(message);
    }

    fn key(&mut self, code: KeyCode) {
        self.tell(Msg::Key(KeyEvent::new(code, KeyModifiers::NONE)));
    }

    fn text(&mut self, text: &str) {
        text.chars()
            .for_each(|letter| self.key(KeyCode::Char(letter)));
    }

    /// Moves to the pile whose row holds these words.
    fn find(&mut self, words: &str) {
        self.key(KeyCode::Char('/'));
        self.text(words);
        self.key(KeyCode::Enter);
    }

    /// What a frame of this size shows, line by line.
    fn frame(&self, width: u16, height: u16) -> Vec<String> {
        frame(&self.model, &Looks::default(), width, height)
    }

    /// A frame of the design's size, as one text.
    fn shown(&self) -> String {
        self.frame(142, 44).join("\n")
    }

    fn takes(&self) -> u64 {
        self.model
            .weigh
            .as_ref()
            .unwrap()
            .decisions
            .takes_in_all()
            .bytes
    }
}

fn frame(model: &Model, looks: &Looks, width: u16, height: u16) -> Vec<String> {
    let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
    let theme = Theme::of_terminal(looks);
    terminal
        .draw(|frame| view::draw(model, &theme, frame))
        .unwrap();
    let buffer = terminal.backend().buffer();
    (0..height)
        .map(|row| {
            (0..width)
                .map(|column| buffer[(column, row)].symbol())
                .collect()
        })
        .collect()
}

/// The row of a list that holds all these words.
fn row<'a>(shown: &'a str, words: &[&str]) -> &'a str {
    let holds = |line: &&str| words.iter().all(|word| line.contains(word));
    shown
        .lines()
        .find(holds)
        .unwrap_or_else(|| panic!("no row {words:?} in:\n{shown}"))
}

#[test]
fn every_station_draws_at_every_size_and_says_where_it_is() {
    let mut desk = TestUi::new();
    let sizes = [
        (20, 5),
        (79, 24),
        (80, 24),
        (100, 30),
        (120, 40),
        (142, 44),
        (300, 90),
    ];
    let draw_all = |desk: &TestUi, word: &str| {
        for (width, height) in sizes {
            for ascii in [false, true] {
                let looks = Looks {
                    ascii,
                    light: ascii,
                    plain: false,
                };
                let shown = frame(&desk.model, &looks, width, height).join("\n");
                if width >= 80 {
                    assert!(
                        shown.contains(word),
                        "{word} at {width} × {height}:\n{shown}"
                    );
                    assert!(shown.contains("? keys"), "{width} × {height}:\n{shown}");
                } else {
                    assert!(shown.contains("Jolly Broom"), "{shown}");
                }
            }
        }
    };
    draw_all(&desk, "Finding accounts");
    let job = desk.model.job;
    desk.tell(Msg::Scanning(
        job,
        ScanEvent::Places(vec!["tmp".into(), "var/log".into()]),
    ));
    let counted = ScanEvent::Counted {
        place: jolly_core::walk::PlaceId(0),
        looked_at: 1234,
        remembered: 0,
        items: 9,
        bytes: 5 << 20,
        is_done: false,
    };
    desk.tell(Msg::Scanning(job, counted));
    draw_all(&desk, "1,234");
    let mut desk = desk.scanned();
    draw_all(&desk, "older than");
    desk.key(KeyCode::Tab);
    draw_all(&desk, "You are about to remove");
    desk.key(KeyCode::Char('r'));
    draw_all(&desk, "rehearsed");
    desk.text("sweep");
    draw_all(&desk, "Scanned again");
    assert_eq!(desk.model.station, Station::Report);
}

#[test]
fn the_bench_and_the_rules_draw_at_every_size_and_a_rule_turned_off_spares_its_piles() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::BackTab);
    assert!(desk.shown().contains("Scanned"));
    desk.key(KeyCode::BackTab);
    assert_eq!(desk.model.station, Station::Arrive);
    let draws = |desk: &TestUi, words: &[&str]| {
        for (width, height) in [(80, 24), (100, 30), (142, 44), (300, 90)] {
            for ascii in [false, true] {
                let light = !ascii;
                let shown = frame(
                    &desk.model,
                    &Looks {
                        ascii,
                        light,
                        plain: false,
                    },
                    width,
                    height,
                )
                .join("\n");
                for word in words {
                    assert!(
                        shown.contains(word),
                        "{word} at {width} × {height}:\n{shown}"
                    );
                }
            }
        }
    };
    draws(
        &desk,
        &["till computer", "Signs", "Home of wren unused", "? keys"],
    );
    // A folder that holds no system is told at its place and can't be chosen.
    desk.key(KeyCode::Char('a'));
    let nowhere = desk.dir.path().join("nowhere").display().to_string();
    desk.tell(Msg::Pasted(nowhere));
    desk.key(KeyCode::Enter);
    draws(&desk, &["It can't be opened", "there is no folder"]);
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown()
            .contains("It can't be opened: there is no folder")
    );
    desk.key(KeyCode::Up);
    desk.key(KeyCode::Enter);
    assert_eq!(desk.model.station, Station::Weigh, "it is scanned already");

    let takes = desk.takes();
    desk.key(KeyCode::Char('b'));
    draws(
        &desk,
        &["Disk check", "turn off", "explain a path", "afterwards"],
    );
    desk.key(KeyCode::Down);
    draws(&desk, &["Printed documents"]);
    desk.key(KeyCode::Char(' '));
    draws(&desk, &["off", "or on again"]);
    desk.key(KeyCode::Esc);
    assert!(desk.takes() < takes && !desk.shown().contains("Printed documents"));
    desk.key(KeyCode::Char('b'));
    desk.key(KeyCode::Char('E'));
    desk.text("/home/pia/.ssh/config~");
    desk.key(KeyCode::Enter);
    let told = desk.shown();
    assert!(told.contains("guarded by linux/editor-backups"), "{told}");
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Esc);
    assert_eq!(desk.takes(), takes, "turned on again");
}

#[test]
fn limits_move_for_a_row_or_a_class_and_every_step_comes_back() {
    let mut desk = TestUi::new().scanned();
    let start = desk.takes();
    desk.find("temporary system");
    let mut steps = vec![desk.takes()];
    for key in [']', ']', '[', '}', '{', ' ', ' ', ']'] {
        desk.key(KeyCode::Char(key));
        steps.push(desk.takes());
    }
    assert!(steps.windows(2).any(|pair| pair[0] != pair[1]));
    for expected in steps.iter().rev().skip(1) {
        desk.key(KeyCode::Char('u'));
        assert_eq!(desk.takes(), *expected);
    }
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.model.message.as_deref(), Some("Nothing to undo."));
    assert_eq!(desk.takes(), start);
    for expected in steps.iter().skip(1) {
        desk.key(KeyCode::Char('U'));
        assert_eq!(desk.takes(), *expected);
    }
}

#[test]
fn a_class_is_taken_or_left_from_its_heading() {
    let mut desk = TestUi::new().scanned();
    let before = desk.takes();
    desk.key(KeyCode::Home);
    assert!(row(&desk.shown(), &["Spent"]).starts_with('▌'));
    desk.key(KeyCode::Char(' '));
    assert!(
        desk.takes() < before,
        "some of it was taken, so all of it is left"
    );
    assert!(row(&desk.shown(), &["Temporary folder"]).contains('○'));
    desk.key(KeyCode::Char('u'));
    assert_eq!(
        desk.model.message.as_deref(),
        Some("Undone: all of spent: left.")
    );
    // What may be somebody's own is asked about before it is taken as a whole.
    desk.find("trash pia");
    while !row(&desk.shown(), &["Ask", "may be"]).starts_with('▌') {
        desk.key(KeyCode::Up);
    }
    for _ in 0..2 {
        desk.key(KeyCode::Char(' '));
        assert_eq!(desk.takes(), before);
        assert!(desk.shown().contains("that may be somebody's own"));
        desk.key(KeyCode::Down);
        desk.key(KeyCode::Up);
    }
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char(' '));
    assert!(desk.takes() > before);
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.takes(), before);
    // One pile alone, as one step; the ways it may go, the gentlest first.
    desk.find("temporary");
    desk.key(KeyCode::Char('y'));
    let weigh = desk.model.weigh.as_ref().unwrap();
    assert_eq!(
        desk.takes(),
        weigh.decisions.takes(weigh.focused_pile().unwrap()).bytes
    );
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.takes(), before);
    let told = |desk: &TestUi| desk.model.message.clone().unwrap_or_default();
    desk.find("trash pia");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('w'));
    assert!(row(&desk.shown(), &["Trash", "pia"]).contains("for good"));
    for _ in 0..2 {
        desk.key(KeyCode::Char('w'));
        assert!(
            told(&desk).contains("written over before it goes"),
            "{}",
            told(&desk)
        );
        assert!(row(&desk.shown(), &["Trash", "pia"]).contains("for good"));
        desk.key(KeyCode::Down);
        desk.key(KeyCode::Up);
    }
    desk.key(KeyCode::Char('w'));
    desk.key(KeyCode::Char('w'));
    assert!(row(&desk.shown(), &["Trash", "pia"]).contains("over"));
    desk.key(KeyCode::Char('w'));
    assert!(told(&desk).contains("set aside"), "{}", told(&desk));
}

#[test]
fn the_cut_line_stands_at_the_limit_and_what_is_left_of_it_stays() {
    let mut desk = TestUi::new().scanned();
    let cut_at = |desk: &TestUi| {
        let shown = desk.shown();
        let line = row(&shown, &["Thumbnails"]).to_owned();
        line.chars().position(|letter| letter == '▏')
    };
    desk.find("picture-thumbnails");
    let at_three_months = cut_at(&desk).unwrap();
    desk.key(KeyCode::Char(']'));
    assert_eq!(
        cut_at(&desk),
        Some(at_three_months + 4),
        "one band to the right"
    );
    desk.key(KeyCode::Char('='));
    desk.text("any");
    desk.key(KeyCode::Enter);
    assert_eq!(cut_at(&desk), None);
    desk.key(KeyCode::Char('='));
    desk.text("4 months");
    desk.key(KeyCode::Enter);
    let inside = cut_at(&desk).unwrap();
    assert!(
        inside > at_three_months && inside < at_three_months + 4,
        "between the two edges"
    );
    assert!(row(&desk.shown(), &["Thumbnails"]).contains("4 months"));
}

#[test]
fn nonsense_for_an_age_is_told_at_the_place_and_changes_nothing() {
    let mut desk = TestUi::new().scanned();
    let before = desk.takes();
    for (text, words) in [
        ("0 days", "at least 1 hour"),
        ("-3", "is not an age"),
        ("3 fortnights", "no known unit"),
        ("99999 years", "at most 200 years"),
    ] {
        desk.key(KeyCode::Char('='));
        desk.tell(Msg::Pasted(text.to_owned()));
        desk.key(KeyCode::Enter);
        assert!(desk.shown().contains(words), "{text}");
        assert!(matches!(desk.model.overlay, Some(Overlay::ExactAge(..))));
        desk.key(KeyCode::Esc);
        assert_eq!(desk.takes(), before);
    }
}

#[test]
fn rows_are_found_and_ordered_and_the_focus_stays_on_its_pile() {
    let mut desk = TestUi::new().scanned();
    desk.find("trash pia");
    let focused = |desk: &TestUi| {
        let shown = desk.shown();
        shown
            .lines()
            .find(|line| line.starts_with('▌'))
            .unwrap()
            .to_owned()
    };
    assert!(focused(&desk).contains("Trash") && focused(&desk).contains("pia"));
    for words in [
        "as the rulebook has them",
        "ordered by what they free",
        "ordered by what they hold",
        "ordered by account",
        "ordered by class, biggest first",
    ] {
        desk.key(KeyCode::Char('o'));
        assert!(desk.shown().contains(words));
        assert!(
            focused(&desk).contains("Trash") && focused(&desk).contains("pia"),
            "{words}"
        );
    }
    desk.find("no such pile");
    assert!(desk.shown().contains("No pile is called so."));
    desk.key(KeyCode::End);
    desk.key(KeyCode::Down);
    // The small ones of a class stand in one row, and open in place; all of them are decided at once.
    assert!(focused(&desk).contains("small piles"), "{}", desk.shown());
    let rows = |desk: &TestUi| desk.model.weigh.as_ref().unwrap().rows.len();
    let before = rows(&desk);
    desk.key(KeyCode::Enter);
    assert!(rows(&desk) > before + 1);
    let takes = desk.takes();
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char(' '));
    assert_ne!(desk.takes(), takes);
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Enter);
    assert_eq!((rows(&desk), desk.takes()), (before, takes));
    // Nothing small is out of reach: finding it opens the row.
    desk.find("unused homes");
    assert!(focused(&desk).contains("Unused homes"));
    desk.key(KeyCode::Char('n'));
    assert!(focused(&desk).contains("Unused homes"), "there is one");
    (0..200).for_each(|_| desk.key(KeyCode::Up));
    assert!(focused(&desk).contains("Spent"));
}

#[test]
fn what_an_exclusion_spares_is_said_in_its_row() {
    let mut desk = TestUi::with(&["home/pia/.cache/knotbook/pages/0*"]).scanned();
    desk.find("other caches pia");
    let shown = desk.shown();
    let row = row(&shown, &["Other caches", "pia"]);
    assert!(row.contains('◐') && row.contains("spared"), "{row}");
}

#[test]
fn the_check_says_who_will_notice_what_and_lists_what_goes() {
    let mut desk = TestUi::new().scanned();
    desk.find("recently-used-files pia");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Tab);
    let all = |desk: &TestUi| desk.frame(142, 120).join("\n");
    let shown = all(&desk);
    assert!(shown.contains("To be set aside: "));
    let lines: Vec<&str> = shown.lines().collect();
    let at = |words: &[&str]| {
        let holds = |line: &&str| words.iter().all(|word| line.contains(word));
        lines
            .iter()
            .position(holds)
            .unwrap_or_else(|| panic!("{words:?}: {shown}"))
    };
    let felt = at(&[
        "Programs start with an empty list of recent documents.",
        "pia",
        "Other recent",
    ]);
    let regrows = at(&[
        "Pages load slower the first time.",
        "joss, pia",
        "and 1 more",
    ]);
    let rest = at(&["Nobody will notice the rest: "]);
    let list = at(&["Exactly this goes: "]);
    assert!(felt < regrows && regrows < rest && rest < list);
    assert!(at(&["biggest", "dump-4411.bin 212 MiB"]) < list);
    // What comes of little stands in one row, but never what somebody misses.
    assert!(at(&["smaller things"]) < rest && !shown.contains("Games may stutter"));
    while !row(&all(&desk), &["smaller things"]).starts_with('▌') {
        desk.key(KeyCode::Down);
    }
    desk.key(KeyCode::Enter);
    assert!(all(&desk).contains("Games may stutter"));
    desk.key(KeyCode::Enter);
    assert!(!all(&desk).contains("Games may stutter"));
    // Every item stands in the list once, whatever is open.
    let total = {
        let check = desk.model.check.as_ref().unwrap();
        check.list.order.len()
    };
    let items = desk
        .model
        .check
        .as_ref()
        .unwrap()
        .manifest
        .as_ref()
        .unwrap()
        .items
        .len();
    assert_eq!(total, items);
    // The list is narrowed by words of a class, an account, a title or a path.
    desk.find("spent dump-4411");
    assert!(
        desk.model
            .message
            .as_ref()
            .unwrap()
            .starts_with("1 item holds")
    );
    desk.key(KeyCode::Enter);
    let shown = all(&desk);
    let is_item =
        |line: &str| line.starts_with("         dump-4411.bin") && line.contains("212 MiB");
    assert!(shown.lines().any(is_item), "{shown}");
    desk.find("");
    assert_eq!(desk.model.check.as_ref().unwrap().list.order.len(), items);
    desk.key(KeyCode::Esc);
    assert_eq!(desk.model.station, Station::Weigh);
}

#[test]
fn what_is_turned_off_goes_only_to_who_names_it_twice() {
    let mut desk = TestUi::new();
    let rule = "linux/system-temp".to_owned();
    let off = [rule.clone()].into_iter().collect();
    let session = desk.model.session.clone().unwrap();
    desk.carry_out(Effect::Keep(session, Keeping::RulesOff(off)));
    let mut takes = |times: usize| {
        desk.options.only = vec![rule.clone(); times];
        let session = Session::open(&desk.options, &desk.root()).unwrap();
        let selection = session.selection(&desk.options).unwrap();
        let scan = session.scan(
            (None, crate::surveys::SurveyFinds::default()),
            &CancelToken::default(),
            &|_| {},
        );
        let decisions = Decisions::new(&scan, &selection).unwrap();
        decisions.takes_in_all().items
    };
    assert_eq!(takes(1), 0);
    assert!(takes(2) > 0);
}

#[test]
fn in_a_terminal_that_shows_nothing_no_key_does_anything() {
    let mut desk = TestUi::new().scanned();
    desk.tell(Msg::Resized(30, 8));
    let (takes, station) = (desk.takes(), desk.model.station);
    for key in "aAxeolsdi !?/rf123456789+-".chars().map(KeyCode::Char) {
        desk.key(key);
    }
    for key in [
        KeyCode::Tab,
        KeyCode::Enter,
        KeyCode::Esc,
        KeyCode::Up,
        KeyCode::Delete,
    ] {
        desk.key(key);
    }
    desk.text("sweep");
    desk.key(KeyCode::Enter);
    assert_eq!((desk.takes(), desk.model.station), (takes, station));
    assert!(desk.model.overlay.is_none() && !desk.model.is_over);
    desk.tell(Msg::Resized(142, 44));
    assert_eq!((desk.takes(), desk.model.station), (takes, station));
    desk.tell(Msg::Resized(30, 8));
    desk.key(KeyCode::Char('q'));
    assert!(desk.model.is_over, "but for leaving");
}

#[test]
fn only_the_whole_word_starts_a_sweep_and_never_of_nothing() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Tab);
    for text in ["swep", "sweer", "peews", "sswee"] {
        desk.text(text);
        desk.key(KeyCode::Down);
        assert_eq!(desk.model.station, Station::Check, "{text}");
        // Nothing else counts while a part of the word stands there: not to leave, either.
        for key in ['q', 'r', 'f', '?']
            .map(KeyCode::Char)
            .into_iter()
            .chain([KeyCode::Tab])
        {
            desk.key(key);
        }
        assert!(
            !desk.model.is_over && desk.model.overlay.is_none(),
            "{text}"
        );
        assert_eq!(desk.model.station, Station::Check, "{text}");
        desk.key(KeyCode::Esc);
        assert_eq!(
            desk.model.station,
            Station::Check,
            "esc takes the word back"
        );
    }
    desk.key(KeyCode::Esc);
    for class in ["Spent", "Regrows"] {
        desk.find(if class == "Spent" {
            "crash"
        } else {
            "thumbnails"
        });
        while !row(&desk.shown(), &["▌"]).contains(class) {
            desk.key(KeyCode::Up);
        }
        // Of a class of which some starts left, the first one takes all.
        let before = desk.takes();
        desk.key(KeyCode::Char(' '));
        if desk.takes() > before {
            desk.key(KeyCode::Char(' '));
        }
    }
    assert_eq!(desk.takes(), 0);
    desk.key(KeyCode::Tab);
    assert!(desk.shown().contains("Nothing is taken, so nothing goes."));
    desk.text("sweep");
    assert_eq!(desk.model.station, Station::Check);
    assert!(desk.shown().contains("nothing to sweep"));
}

#[test]
fn a_sweep_ends_in_a_report_that_a_second_scan_bears_out() {
    let mut desk = TestUi::new().scanned();
    let takes = desk.takes();
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Char('r'));
    let check = desk.model.check.as_ref().unwrap();
    assert!(matches!(check.rehearsal, Rehearsal::Done(..)));
    // Something changes between the word and the sweep: it stays, and the report says so.
    let changed = desk.root().join("tmp/dump-4411.bin");
    let held = std::fs::metadata(&changed).unwrap().blocks() * 512;
    std::fs::write(&changed, b"new").unwrap();
    desk.text("sweep");
    let shown = desk.shown();
    assert!(
        shown.contains("1 stayed, changed: it is no longer what was shown"),
        "{shown}"
    );
    assert!(shown.contains("scan again and look at it as it is now"));
    assert!(
        shown.contains("what was taken is gone"),
        "it is young now: {shown}"
    );
    let report = desk.model.report.as_ref().unwrap();
    let went: u64 = report.summary.went.values().map(|sum| sum.bytes).sum();
    assert_eq!(went, takes - held);
    assert!(changed.exists());
    desk.key(KeyCode::Enter);
    assert_eq!(desk.model.station, Station::Weigh);
    assert_eq!(desk.takes(), 0);
}

#[test]
fn a_state_folder_that_cannot_be_written_is_told_and_nothing_goes() {
    let mut desk = TestUi::new().scanned();
    // The visit was noted there a moment ago.
    let state = desk.dir.path().join("state");
    std::fs::rename(&state, desk.dir.path().join("away")).unwrap();
    std::fs::write(desk.dir.path().join("state"), b"in the way").unwrap();
    desk.key(KeyCode::Tab);
    desk.text("sweep");
    assert_eq!(desk.model.station, Station::Weigh);
    assert!(
        desk.shown()
            .contains("Nothing was removed: cannot make the journal")
    );
    assert!(desk.root().join("tmp/dump-4411.bin").exists());
}

#[test]
fn late_news_of_an_old_job_is_dropped() {
    let mut desk = TestUi::new().scanned();
    let old = desk.model.job;
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Esc);
    let before = desk.shown();
    desk.tell(Msg::Scanned(old - 1, Err("of old".to_owned())));
    desk.tell(Msg::Scanning(old - 1, ScanEvent::Places(Vec::new())));
    desk.tell(Msg::Listed(old, None));
    assert_eq!(desk.shown(), before);
    let now = desk.model.job;
    desk.tell(Msg::Scanned(now, Err("it broke off".to_owned())));
    assert!(
        desk.shown()
            .contains("The scan came to nothing: it broke off")
    );
}

#[test]
fn the_help_and_the_key_line_say_what_the_dispatcher_does() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('?'));
    let help = desk.shown();
    for binding in keys::at(Context::Ages) {
        assert!(
            help.contains(binding.says),
            "{} is not in the help",
            binding.says
        );
        for (code, action) in binding.keys {
            let key = KeyEvent::new(*code, KeyModifiers::NONE);
            assert_eq!(keys::action(Context::Ages, key), Some(*action));
        }
    }
    desk.key(KeyCode::Char('q'));
    assert!(
        !desk.model.is_over,
        "any key closes the help, also the one that leaves"
    );
    desk.tell(Msg::Key(KeyEvent::new(
        KeyCode::Char('c'),
        KeyModifiers::CONTROL,
    )));
    assert!(desk.model.is_over);
}

#[test]
fn strange_names_are_shown_harmless() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Tab);
    desk.find("escape-");
    desk.key(KeyCode::Enter);
    let shown = desk.frame(142, 60).join("\n");
    assert!(shown.contains(r"escape-\u{1b}[31mred"), "{shown}");
    assert!(!shown.contains('\u{1b}'));
}

#[test]
fn the_clock_moves_the_screen_only_while_something_is_under_way() {
    let mut desk = TestUi::new();
    assert!(desk.model.moves(), "a scan is under way");
    desk.model.clock = Duration::from_secs(3);
    assert!(desk.shown().contains("3.0 s"));
    let mut desk = desk.scanned();
    assert!(!desk.model.moves());
    desk.key(KeyCode::Tab);
    assert!(!desk.model.moves(), "the list is made");
}
