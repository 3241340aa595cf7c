//! `sweep --sheet`: what a job sheet remembers and allows, without a person.

use std::time::Duration;

use jolly_core::CancelToken;
use jolly_core::decide::{Decisions, Selection};
use jolly_core::format::Printable;
use jolly_core::plan::make_manifest;
use jolly_core::report::{unattended, visit_scan};

use crate::cli::print;
use crate::cli::sweep::{Listed, look_after, tell_unkept};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{Session, open_state};
use crate::surveys::SurveyFinds;
use crate::visits::{existing_sheets, refuse_sheets};
use crate::wording::{bytes, counted};

/// What comes of a sheet.
pub(super) enum Planned {
    /// A list of what goes, and how long that may take.
    Goes(Box<Listed>, Option<TimeLimit>),
    /// Nothing is to be done.
    Ends(Exit),
}

/// A time after which what is under way stops, and the rest goes the next time.
pub(super) struct TimeLimit {
    minutes: u32,
    is_over: CancelToken,
}

impl TimeLimit {
    /// Begins now; stops through `cancel` when it is over.
    fn begin(minutes: u32, minute: Duration, cancel: &CancelToken) -> Self {
        let is_over = CancelToken::default();
        let (over, cancel) = (is_over.clone(), cancel.clone());
        // It ends with the program at the latest.
        drop(std::thread::spawn(move || {
            std::thread::sleep(minute.saturating_mul(minutes));
            over.cancel();
            cancel.cancel();
        }));
        Self { minutes, is_over }
    }

    /// Says that it is over; what it stopped is no failure.
    pub(super) fn has_stopped(&self) -> bool {
        let is_over = self.is_over.is_cancelled();
        if is_over {
            let minutes = counted(u64::from(self.minutes), "minute");
            print::message(&format!(
                "jolly-broom: stopped after {minutes}, as its sheet says; the rest goes the next time"
            ));
        }
        is_over
    }
}

/// Scans the computer of a sheet, and lists what that lets go.
pub(super) fn planned(
    options: &SharedOptions,
    id: &str,
    is_real: bool,
    cancel: &CancelToken,
) -> Result<Planned, Refusal> {
    let state = open_state(options)?;
    let store = existing_sheets(&state)?;
    let sheet = store.find(id).map_err(|error| refuse_sheets(&error))?;
    let name = Printable(sheet.shown_name().as_bytes()).to_string();
    let Some(allowed) = &sheet.allowed else {
        return Err(Refusal::bad_words(
            &format!("nothing may go without a person at {name}"),
            "say what may with `jolly-broom sheet allow`",
        ));
    };
    let root = options.target.clone().or_else(|| sheet.root.clone());
    let root = root.ok_or_else(|| {
        Refusal::bad_words(
            "where the computer lies is not known",
            "name it with --target",
        )
    })?;
    let session = Session::open(options, &root)?;
    if session.identity != sheet.identity {
        return Err(Refusal::bad_words(
            &format!("the computer at {} is not {name}", root.display()),
            "mount the one that the sheet is of",
        ));
    }
    look_after(&session, is_real);
    if let Some(below) = allowed.below {
        let volume = session.target.measure().map_err(|error| {
            Refusal::failed(&error, "its volume can't be measured, so nothing was swept")
        })?;
        let is_enough =
            u128::from(volume.free) * 100 >= u128::from(volume.size) * u128::from(below);
        if is_enough {
            let free = bytes(volume.free);
            print::note(&format!(
                "{name} has {free} free; below {below} % it is swept"
            ));
            return Ok(Planned::Ends(Exit::Done));
        }
    }
    let limit = allowed
        .minutes
        .map(|minutes| TimeLimit::begin(minutes, Duration::from_mins(1), cancel));
    let selection = Selection {
        classes: Vec::new(),
        takes_all: false,
        ..session.selection(options)?
    };
    let progress = print::Progress::new();
    let nothing = SurveyFinds::default();
    let scan = session.scan((None, nothing), cancel, &|event| progress.scan(&event));
    progress.end();
    if scan.is_partial && limit.as_ref().is_some_and(TimeLimit::has_stopped) {
        return Ok(Planned::Ends(Exit::SomeStayed));
    }
    if scan.is_partial {
        print::message("jolly-broom: stopped while scanning; nothing was removed");
        return Ok(Planned::Ends(Exit::Stopped));
    }
    let mut decisions = Decisions::new(&scan, &selection)
        .map_err(|error| Refusal::bad_input(&error, "mend that exclusion"))?;
    unattended(&scan, &mut decisions, &sheet, allowed);
    if is_real {
        tell_unkept(session.note_visit(None, &visit_scan(&scan, &decisions)));
    }
    let manifest = make_manifest(&scan, &decisions);
    let listed = Box::new((session, manifest, scan.searches));
    Ok(Planned::Goes(listed, limit))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_time_limit_stops_what_is_under_way_and_says_that_it_was_it() {
        let cancel = CancelToken::default();
        let limit = TimeLimit::begin(3, Duration::from_millis(20), &cancel);
        assert!(!cancel.is_cancelled());
        let mut waited = 0;
        while !cancel.is_cancelled() && waited < 2_000 {
            std::thread::sleep(Duration::from_millis(5));
            waited += 1;
        }
        assert!(waited >= 3 && cancel.is_cancelled() && limit.has_stopped());
        // Somebody who stops it before isn't told that it was the time.
        let stopped = CancelToken::default();
        let limit = TimeLimit::begin(1, Duration::from_hours(1), &stopped);
        stopped.cancel();
        assert!(!limit.has_stopped());
    }
}
