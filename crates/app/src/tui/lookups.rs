//! What threads look up for the bench: computers, first looks, folders, job sheets.

use std::collections::BTreeSet;
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_core::computer::mounted_systems;
use jolly_core::error_chain;
use jolly_core::format::Printable;
use jolly_core::host::{UnmountedVolume, unmounted_volumes};
use jolly_core::report::forecast;
use jolly_core::rule::Verdict;
use jolly_core::run::left_over;
use jolly_core::state::SheetStore;
use jolly_demo::DemoLayout;
use jolly_disk::RealDisk;

use crate::options::SharedOptions;
use crate::session::{Session, clock, open_state};
use crate::standing::stays_because;
use crate::tui::model::{Arrived, Origin};

/// Folders of earlier visits that stay on the bench.
const MOST_OPENED: usize = 12;

/// Folders that a completion offers.
const MOST_OFFERED: usize = 200;

/// Where the computers on the bench come from.
#[derive(Clone, Debug)]
pub(crate) enum Source {
    /// This machine: itself, what is mounted, what was opened before.
    Machine,
    /// The demo's folder: its three computers and nothing of this machine.
    Demo(PathBuf),
}

impl Source {
    /// The volumes of this machine that aren't mounted; the demo has none.
    pub(super) fn unmounted(&self) -> Vec<UnmountedVolume> {
        match self {
            Self::Machine => unmounted_volumes(),
            Self::Demo(_) => Vec::new(),
        }
    }

    /// The computers on the bench; those of the demo are built when they are first asked for.
    pub(super) fn find_computers(&self, options: &SharedOptions) -> Vec<(PathBuf, Origin)> {
        match self {
            Self::Machine => find_computers(options),
            Self::Demo(folder) => DemoLayout::ALL
                .into_iter()
                .filter_map(|layout| {
                    let root = folder.join(layout.folder());
                    let is_built = root.is_dir()
                        || jolly_demo::build(&root, layout, clock().as_second()).is_ok();
                    is_built.then_some((root, Origin::Mounted))
                })
                .collect(),
        }
    }
}

/// The computers on the bench: this one, each mounted volume that holds a system, each folder of
/// an earlier visit that is still there.
fn find_computers(options: &SharedOptions) -> Vec<(PathBuf, Origin)> {
    let mut computers = vec![(PathBuf::from("/"), Origin::This)];
    let mounted = mounted_systems(&RealDisk).into_iter();
    computers.extend(mounted.map(|(mount, _)| (mount.point, Origin::Mounted)));
    if let Ok(state) = open_state(options) {
        // Sheets that can't be read are told when a computer is opened.
        let store = SheetStore::open_existing(&state).ok().flatten();
        let sheets = store.and_then(|store| store.all().ok()).unwrap_or_default();
        let roots = sheets.into_iter().filter_map(|sheet| sheet.root);
        let there = roots.filter(|root| root.is_dir());
        computers.extend(there.take(MOST_OPENED).map(|root| (root, Origin::Opened)));
    }
    let mut seen = BTreeSet::new();
    computers.retain(|(root, _)| seen.insert(root.clone()));
    computers
}

/// Opens a computer and takes a first look.
pub(super) fn arrive(options: &SharedOptions, root: &Path) -> Result<Box<Arrived>, String> {
    let one_line = |message: String| message.replace('\n', "; ");
    let session = Session::open(options, root).map_err(|refusal| one_line(refusal.message))?;
    let selection = session
        .selection(options)
        .map_err(|refusal| one_line(refusal.message))?;
    let arrival = session.arrive();
    let notes = session.look_after();
    let left = left_over(&session.state, &session.identity).unwrap_or_default();
    let now = session.now.unwrap_or_else(clock);
    let sheet = session.sheet.as_ref().zip(arrival.volume);
    let forecast = sheet.and_then(|(sheet, volume)| {
        forecast(sheet, (now, volume.free), session.little.of(volume.size))
    });
    Ok(Box::new(Arrived {
        forecast,
        left,
        notes,
        rules_off: session.rules_off(),
        now: now.as_second(),
        session: Arc::new(session),
        selection,
        arrival,
    }))
}

/// The folders that begin as what was typed, sorted; what isn't text can't be typed.
pub(super) fn complete(text: &str) -> Vec<String> {
    let (folder, start) = match text.rsplit_once('/') {
        Some(("", start)) => ("/", start),
        Some((folder, start)) => (folder, start),
        None => (".", text),
    };
    let Ok(entries) = std::fs::read_dir(folder) else {
        return Vec::new();
    };
    let before = text.strip_suffix(start).unwrap_or(text);
    let mut folders: Vec<String> = entries
        .flatten()
        .filter(|entry| entry.path().is_dir())
        .filter_map(|entry| entry.file_name().into_string().ok())
        // A hidden folder is offered once its dot is typed.
        .filter(|name| {
            name.starts_with(start) && (start.starts_with('.') || !name.starts_with('.'))
        })
        .map(|name| format!("{before}{name}"))
        .take(MOST_OFFERED)
        .collect();
    folders.sort();
    folders
}

/// Which rule has a path, in one line, and that rule's position.
pub(super) fn explain_path(session: &Session, text: &str) -> (String, Option<usize>) {
    match session.explain(Path::new(text)) {
        Err(refusal) => (refusal.message.replace('\n', "; "), None),
        Ok((path, found)) => {
            let absent = if found.exists {
                ""
            } else {
                " (it is not there)"
            };
            let verdict = found.verdict.name();
            let rule = found.rule.map(|number| {
                let rule = session.rules.rule(number);
                format!(" by {} in {} line {}", rule.id, rule.file, rule.line)
            });
            let rule_text = rule.unwrap_or_default();
            let stays = stays_because(session, &path, &found);
            let stays = stays.map_or_else(String::new, |why| format!("stays: {why}; by its rule "));
            let says = match found.verdict {
                Verdict::NotMine => found.reason,
                _ => format!("{stays}{verdict}{rule_text}: {}", found.reason),
            };
            let answer = format!("{path}{absent}: {says}");
            (answer, found.rule.map(|number| number.0))
        }
    }
}

/// Keeps which rules are off for a computer.
pub(super) fn keep_off(session: &Session, off: &BTreeSet<String>) -> Result<(), String> {
    let kept = SheetStore::open(&session.state)
        .and_then(|mut store| store.set_rules_off(&session.target, off));
    kept.map_err(|error| {
        let why = error_chain(&error);
        format!("It counts for now, but is not remembered: {why}")
    })
}

/// A path of this machine, made harmless.
pub(super) fn shown(path: &Path) -> String {
    Printable(path.as_os_str().as_bytes()).to_string()
}
