//! `status`: how a computer stands, in one line and with exit codes as monitoring systems expect them. These are its own:
//! 0 well, 1 warning, 2 critical, 3 not known.

use std::process::ExitCode;

use jolly_core::format::Printable;
use jolly_core::run::{LogState, list_logs};
use jolly_core::state::{Sheet, SheetStore, StateFolder};

use crate::cli::print;
use crate::options::SharedOptions;
use crate::session::{Session, open_state};

/// Below so many percent of free space a computer is warned of, where its sheet says nothing.
const LITTLE: u64 = 10;
/// And below so many something has to be done.
const HARDLY: u64 = 5;

/// How a computer stands.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Standing {
    Well,
    Warning,
    Critical,
    Unknown,
}

impl Standing {
    fn word(self) -> &'static str {
        match self {
            Self::Well => "OK",
            Self::Warning => "WARNING",
            Self::Critical => "CRITICAL",
            Self::Unknown => "UNKNOWN",
        }
    }

    fn code(self) -> u8 {
        match self {
            Self::Well => 0,
            Self::Warning => 1,
            Self::Critical => 2,
            Self::Unknown => 3,
        }
    }
}

pub(super) fn run(options: &SharedOptions, id: &str) -> ExitCode {
    let (standing, says) = match look(options, id) {
        Ok(found) => found,
        Err(why) => (Standing::Unknown, why),
    };
    // One line, and no sign that divides it in two.
    let says = Printable(says.as_bytes()).to_string().replace('\n', " ");
    let line = format!("JOLLY-BROOM {} - {says}", standing.word());
    // Nobody is left to tell when even the line can't be printed.
    drop(print::result(|out| writeln!(out, "{line}")));
    ExitCode::from(standing.code())
}

fn look(options: &SharedOptions, id: &str) -> Result<(Standing, String), String> {
    let one_line = |text: String| text.replace('\n', ";").replace('|', "/");
    let state = open_state(options).map_err(|refusal| one_line(refusal.message))?;
    let store = SheetStore::open_existing(&state).map_err(|error| one_line(error.to_string()))?;
    let store = store.ok_or_else(|| "no computer was visited yet".to_owned())?;
    let sheet = store
        .find(id)
        .map_err(|error| one_line(error.to_string()))?;
    let root = options.target.clone().or_else(|| sheet.root.clone());
    let root = root.ok_or_else(|| "where it lies is not known".to_owned())?;
    let session = Session::open(options, &root).map_err(|refusal| one_line(refusal.message))?;
    if session.identity != sheet.identity {
        return Err("another computer lies where it was".to_owned());
    }
    let volume = session
        .target
        .measure()
        .map_err(|error| error.to_string())?;
    let percent = (volume.free.saturating_mul(100))
        .checked_div(volume.size)
        .unwrap_or(0);
    let little = sheet.allowed.as_ref().and_then(|allowed| allowed.below);
    let little = little.map_or(LITTLE, u64::from);
    let hardly = HARDLY.min(little);
    let by_space = match percent {
        percent if percent < hardly => Standing::Critical,
        percent if percent < little => Standing::Warning,
        _ => Standing::Well,
    };
    let (by_run, last) = last_run(&state, &sheet);
    let name = one_line(sheet.shown_name().to_owned());
    let bytes_of = |percent: u64| volume.size / 100 * percent;
    let says = format!(
        "{name}: {percent} % free, {last} | free={}B;{}:;{}:;0;{}",
        volume.free,
        bytes_of(little),
        bytes_of(hardly),
        volume.size
    );
    Ok((by_space.max(by_run), says))
}

/// How the last run of a computer ended.
fn last_run(state: &StateFolder, sheet: &Sheet) -> (Standing, String) {
    let Some(run) = sheet
        .visits
        .iter()
        .rev()
        .find_map(|visit| visit.runs.last())
    else {
        return (Standing::Well, "never swept".to_owned());
    };
    let day = run.ended.strftime("%Y-%m-%d");
    let logs = list_logs(state).unwrap_or_default();
    let log = logs.into_iter().flatten().find(|log| *log.run == *run.run);
    match log.map(|log| log.state) {
        Some(LogState::Interrupted) => {
            (Standing::Critical, format!("the sweep of {day} broke off"))
        }
        Some(LogState::Stopped) => (Standing::Warning, format!("the sweep of {day} was stopped")),
        Some(_) | None => (Standing::Well, format!("swept {day}")),
    }
}
