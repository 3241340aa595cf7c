//! `sweep --sheet`: what a job sheet remembers and allows, without a person.

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
use crate::visits::{existing_sheets, refuse_sheets};
use crate::wording::bytes;

/// What comes of a sheet.
pub(super) enum Planned {
    /// A list of what goes.
    Goes(Box<Listed>),
    /// Nothing is to be done.
    Ends(Exit),
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
    let selection = Selection {
        classes: Vec::new(),
        takes_all: false,
        ..session.selection(options)?
    };
    let progress = print::Progress::new();
    let nothing = std::sync::Arc::default();
    let scan = session.scan((None, nothing), cancel, &|event| progress.scan(&event));
    progress.end();
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
    Ok(Planned::Goes(Box::new((session, manifest, scan.searches))))
}
