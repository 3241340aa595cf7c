//! `restore`: brings back what a run set aside.

use std::path::{Path, PathBuf};

use jolly_core::CancelToken;
use jolly_core::computer::{RestorePoint, Target, TargetPath, point_before};
use jolly_core::dustpan::{Pan, PanItem};
use jolly_core::packing::PackError;
use jolly_core::run::{
    Packing, RestoreError, RestoreOrder, RestoreSummary, bring_back_from_point, restore, verify_log,
};
use jolly_core::state::{NoRunId, RunId, StateFolder};
use serde_json::json;

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::packing::why_not;
use crate::session::{clock, open_state, open_target, same_computer};
use crate::wording::{counted, counted_copies};

/// What is to come back.
pub(super) struct Wanted<'a> {
    /// The run that set it aside.
    pub run: &'a str,
    /// These, and what lies below them; all of it when there are none.
    pub paths: &'a [PathBuf],
    /// Of lists only the entries of this document.
    pub within: Option<&'a str>,
}

pub(super) fn run(options: &SharedOptions, wanted: &Wanted<'_>) -> Result<Exit, Refusal> {
    let Wanted { run, paths, within } = *wanted;
    let cancel = print::cancel_on_interrupt()?;
    let state = open_state(options)?;
    if let Some(exit) = from_point(options, &state, wanted, &cancel)? {
        return Ok(exit);
    }
    let pan = read(&state, run)?;
    let root = options
        .target
        .clone()
        .unwrap_or_else(|| pan.target.clone().into());
    let target = open_target(options, &root)?;
    let wanted = paths
        .iter()
        .map(|path| on_target(&target, path))
        .collect::<Result<Vec<TargetPath>, Refusal>>()?;
    if let Some(missing) = wanted.iter().find(|path| {
        !pan.held()
            .chain(pan.copies())
            .any(|item| item.is_wanted(std::slice::from_ref(*path)) && is_in(within, item))
    }) {
        return Err(Refusal {
            exit: Exit::BadInput,
            message: format!(
                "run {} did not set {missing} aside\n  `jolly-broom log show {}` names what it did",
                pan.run, pan.run
            ),
        });
    }
    let is_wanted = |item: &PanItem| item.is_wanted(&wanted) && is_in(within, item);
    let progress = print::Progress::new();
    let sink = |done, of| progress.restore(done, of);
    let order = RestoreOrder {
        state: &state,
        pan: &pan,
        target: &target,
        when: clock(),
        same: same_computer(options),
    };
    // What was only copied comes back when it is named.
    if wanted.is_empty() && within.is_none() && pan.held().next().is_none() {
        tell_of_copies(&pan, within);
        return Ok(Exit::Done);
    }
    let returned = bring_back(&order, &is_wanted, &cancel, &sink)?;
    progress.end();
    if wanted.is_empty() && !options.json {
        tell_of_copies(&pan, within);
    }
    tell(options, &returned)
}

/// The restore point that was made before a run, on the computer that the run was on; none where there is none, or that
/// computer isn't here.
pub(super) fn point_of(
    options: &SharedOptions,
    state: &StateFolder,
    run: &str,
) -> Result<Option<(Target, RestorePoint)>, Refusal> {
    let log = run
        .parse()
        .ok()
        .and_then(|run: RunId| verify_log(state, &run).ok());
    let Some(log) = log else { return Ok(None) };
    let target = match &options.target {
        Some(root) => open_target(options, root)?,
        // What isn't mounted now has none that could be asked for.
        None => match open_target(options, Path::new(&log.target)) {
            Ok(target) => target,
            Err(_) => return Ok(None),
        },
    };
    if log.identity != target.identity().as_str() {
        return Ok(None);
    }
    // Who may not ask for it has made none.
    let point = point_before(&target, run).ok().flatten();
    Ok(point.map(|point| (target, point)))
}

/// What wasn't set aside, from the restore point that was made before the run; nothing where there is none, or the dustpan
/// holds all of it.
fn from_point(
    options: &SharedOptions,
    state: &StateFolder,
    wanted: &Wanted<'_>,
    cancel: &CancelToken,
) -> Result<Option<Exit>, Refusal> {
    let Ok(run) = wanted.run.parse::<RunId>() else {
        return Ok(None);
    };
    if wanted.paths.is_empty() || wanted.within.is_some() {
        return Ok(None);
    }
    let Some((target, point)) = point_of(options, state, &run)? else {
        return Ok(None);
    };
    let paths = wanted.paths.iter().map(|path| on_target(&target, path));
    let paths = paths.collect::<Result<Vec<TargetPath>, Refusal>>()?;
    let pan = Pan::read(state, &run).ok().flatten();
    let is_aside = |path: &TargetPath| {
        let mut held = pan.iter().flat_map(Pan::held);
        held.any(|item| item.is_wanted(std::slice::from_ref(path)))
    };
    if paths.iter().all(is_aside) {
        return Ok(None);
    }
    let work = Packing {
        target: &target,
        state,
        run: &run,
        own: &[],
        cancel,
        clock: &clock,
        moved: &|_| {},
    };
    let mut exit = Exit::Done;
    for path in &paths {
        match bring_back_from_point(&work, &point.path, path) {
            Ok(back) => {
                if options.json {
                    let from = point.path.to_string();
                    print::json(
                        &json!({ "path": path.to_string(), "from": from, "note": back.note }),
                    )?;
                } else {
                    print::result(|out| writeln!(out, "{path} is back, from {}", point.path))?;
                }
                if let Some(note) = back.note {
                    print::message(&format!("jolly-broom: {path}: {note}"));
                    exit = Exit::SomeStayed;
                }
            }
            Err(PackError::Stopped) => return Ok(Some(Exit::Stopped)),
            Err(error) => {
                print::message(&format!("jolly-broom: {}", why_not(&error)));
                exit = if paths.len() == 1 {
                    Exit::Failed
                } else {
                    Exit::SomeStayed
                };
            }
        }
    }
    Ok(Some(exit))
}

fn bring_back(
    order: &RestoreOrder<'_>,
    wanted: &dyn Fn(&PanItem) -> bool,
    cancel: &CancelToken,
    sink: &dyn Fn(u64, u64),
) -> Result<RestoreSummary, Refusal> {
    restore(order, wanted, cancel, sink).map_err(|error| match &error {
        RestoreError::OtherTarget { .. } => {
            Refusal::bad_input(&error, "name where that computer is with --target")
        }
        RestoreError::KnownByPath { .. } => {
            Refusal::bad_input(&error, "if it is the same one, say so with --same-computer")
        }
        RestoreError::Emptied { .. } | RestoreError::NothingThere { .. } => {
            Refusal::bad_input(&error, "nothing was brought back")
        }
        RestoreError::NotHere { .. } => Refusal::failed(&error, "mount the volume that it lies on"),
        RestoreError::NoRoom { .. } => {
            Refusal::failed(&error, "make room, or name less; nothing was brought back")
        }
        RestoreError::UnderWay { .. } => Refusal::failed(&error, "wait until it has ended"),
        RestoreError::Doubted { .. } => Refusal::bad_input(&error, "nothing was brought back"),
        RestoreError::Record { .. } => Refusal::failed(
            &error,
            "nothing was brought back; see that the state folder can be written",
        ),
    })
}

/// The dustpan of a run.
pub(super) fn read(state: &StateFolder, run: &str) -> Result<Pan, Refusal> {
    let pan = match run.parse() {
        Err(NoRunId) => None,
        Ok(run) => Pan::read(state, &run).map_err(|error| {
            Refusal::failed(&error, "`tar --zstd -xf` still opens the archive itself")
        })?,
    };
    pan.ok_or_else(|| Refusal {
        exit: Exit::BadInput,
        message: format!(
            "run {} set nothing aside, or is not known here\n  `jolly-broom log list` names the runs",
            jolly_core::format::Printable(run.as_bytes())
        ),
    })
}

/// A path as a person gives it: below the target's root, on the target, or on this machine.
fn on_target(target: &Target, path: &Path) -> Result<TargetPath, Refusal> {
    use std::os::unix::ffi::OsStrExt as _;
    let given = path.as_os_str().as_bytes();
    // What was set aside is gone, so the path can't be resolved as one that is there.
    let root = target.root_path();
    let below = path.strip_prefix(root).ok();
    let below = below.filter(|_| root != Path::new("/"));
    let meant = match below {
        Some(below) => TargetPath::from_inside(below.as_os_str().as_bytes()),
        None => target.parse_user_path(given),
    };
    meant.map_err(|error| Refusal::bad_input(&error, "such as home/pia/.local/share/Trash"))
}

/// Whether it is what was named in a list: the address of an entry, as listings print it.
fn is_in(within: Option<&str>, item: &PanItem) -> bool {
    within.is_none_or(|wanted| item.place().within.as_deref() == Some(wanted))
}

/// Offers the safety copies of a run.
fn tell_of_copies(pan: &Pan, within: Option<&str>) {
    if within.is_some() || pan.copies().next().is_none() {
        return;
    }
    let many = pan.copies().count() as u64;
    print::note(&format!(
        "{} wait, too, of bookmarks, logins or registry hives as they were: these stayed where they are; a copy comes back when it is named:",
        counted_copies(many)
    ));
    for copy in pan.copies() {
        print::note(&format!("  {}", copy.shown()));
    }
}

fn tell(options: &SharedOptions, returned: &RestoreSummary) -> Result<Exit, Refusal> {
    if options.json {
        for (item, back) in &returned.items {
            let place = item.place();
            let mut line = json!({
                "path": place.path.path,
                "outcome": back.name(),
                "reason": back.reason(),
            });
            if let Some(exact) = place.path.path_base64 {
                line["path_base64"] = exact.into();
            }
            if let Some(within) = place.within {
                line["in"] = within.into();
            }
            print::json(&line)?;
        }
    } else {
        let back = returned.items.iter().filter(|(_, back)| back.is_back());
        let many = counted(back.count() as u64, "item");
        print::result(|out| {
            for (item, back) in &returned.items {
                if !back.reason().is_empty() {
                    let place = item.shown();
                    writeln!(out, "{:<12} {place}: {}", back.name(), back.reason())?;
                }
            }
            writeln!(out, "{many} brought back")
        })?;
    }
    if let Some(why) = &returned.not_noted {
        print::message(&format!(
            "jolly-broom: what came back could not be noted in the dustpan: {why}"
        ));
    }
    Ok(if returned.is_stopped {
        Exit::Stopped
    } else if returned.items.iter().all(|(_, back)| back.is_back()) {
        Exit::Done
    } else {
        Exit::SomeStayed
    })
}
