//! What threads find out about a scan: a pile from inside, what an exclusion spares, who holds what.

mod space;

use std::os::unix::ffi::OsStrExt as _;
use std::sync::Arc;
use std::time::Duration;

use crossbeam_channel::Sender;
use jolly_core::CancelToken;
use jolly_core::decide::{
    Entry, EntryId, Excluded, Exclusion, Inside, Reach, Spares, left_behind, others, renewable,
};
use jolly_core::error_chain;
use jolly_core::host::{Asked, InUse, RunningProgram, ask_to_close};
use jolly_core::pile::Scan;
use jolly_core::survey::{Belongs, UninstallError, programs, sites_and_extensions, uninstall};

use crate::options::SharedOptions;
use crate::place::{self, PlaceChange};
use crate::session::Session;
use crate::tui::model::{CheckList, Holders, KnownPrograms};
use crate::tui::msg::{InsideSearch, Msg, Opened, Question, Spared};

/// Answers a question about what was scanned; nothing when nobody wants to know any more.
pub(super) fn answer(question: Question, cancel: &CancelToken, news: &Sender<Msg>) -> Msg {
    match question {
        Question::LookInside(ticket, scan, pile, order) => {
            let opened = Inside::of(&scan, pile, cancel).and_then(|inside| {
                let arrangement = inside.arrange(&scan, order, cancel)?;
                Some((Arc::new(inside), Arc::new(arrangement)))
            });
            unless_cancelled(cancel, Msg::LookedInside(ticket, opened))
        }
        Question::Arrange(ticket, scan, inside, order) => {
            let arranged = inside.arrange(&scan, order, cancel);
            let opened = arranged.map(|arranged| (inside, Arc::new(arranged)));
            unless_cancelled(cancel, Msg::LookedInside(ticket, opened))
        }
        Question::FindInside(ticket, search) => {
            let found = find_inside(&search, cancel);
            unless_cancelled(cancel, Msg::FoundInside(ticket, found))
        }
        Question::LookForOthers(ticket, search, folder) => {
            look_for_others(ticket, &search, folder, cancel)
        }
        Question::LookForHolders(scan) => {
            let held = users(&scan);
            Msg::Held(scan, held)
        }
        Question::Reckon(ticket, scan, spares) => reckon(ticket, &scan, &spares, cancel),
        Question::Narrow(ticket, scan, manifest, words) => {
            let list = CheckList::of(&scan, &manifest, &words, cancel);
            unless_cancelled(cancel, Msg::Narrowed(ticket, list.map(Box::new)))
        }
        Question::LookAtSites(scan) => {
            let found = sites_and_extensions(&scan.target, cancel);
            unless_cancelled(cancel, Msg::SitesRead(scan, Arc::new(found)))
        }
        Question::LookAtPrograms(scan, session) => {
            let known = look_at_programs(&scan, &session.belongs_now(), cancel);
            unless_cancelled(cancel, Msg::ProgramsRead(scan, Arc::new(known)))
        }
        Question::Space(scan, asked) => {
            let found = space::answer(&scan, asked, cancel, news);
            unless_cancelled(cancel, Msg::Space(scan, found))
        }
        Question::AskManager(session, known, unwanted) => {
            let answer = uninstall(&session.target, &known.inventory, &unwanted);
            let refused = |error: UninstallError| (error_chain(&error), error.advice());
            unless_cancelled(
                cancel,
                Msg::ManagerAnswered(answer.map(Box::new).map_err(refused)),
            )
        }
        Question::SpareSites(scan, wanted) => {
            let found = spared_by(&scan, wanted);
            unless_cancelled(cancel, Msg::SitesSpared(scan, found))
        }
        Question::AskToClose(job, program) => Msg::Closed(job, close(&program)),
    }
}

/// Counts what an exclusion would spare.
fn reckon(ticket: u32, scan: &Scan, spares: &Spares, cancel: &CancelToken) -> Msg {
    match Reach::of(scan, spares, cancel) {
        Ok(Some(reach)) => {
            let is_everything = reach.is_everything(scan);
            Msg::Reckoned(ticket, Ok((Arc::new(reach), is_everything)))
        }
        Ok(None) => Msg::Nothing,
        Err(error) => Msg::Reckoned(ticket, Err(error.to_string())),
    }
}

/// Looks for words inside a pile.
fn find_inside(search: &InsideSearch, cancel: &CancelToken) -> Option<EntryId> {
    let InsideSearch {
        scan,
        inside,
        arrangement,
        from,
        text,
    } = search;
    inside.find(scan, arrangement, *from, text, cancel)
}

/// What exclusions spare.
fn spared_by(scan: &Scan, wanted: Vec<Exclusion>) -> Spared {
    let found = wanted.into_iter();
    found
        .map(|one| Excluded::find(scan, one).map_err(|error| error.to_string()))
        .collect()
}

/// Looks what lies in a folder and is not of the pile.
fn look_for_others(
    ticket: u32,
    search: &InsideSearch,
    folder: EntryId,
    cancel: &CancelToken,
) -> Msg {
    let (scan, inside) = (&search.scan, &search.inside);
    let Some(Entry::Folder(id)) = inside.entry(scan, folder) else {
        return Msg::Nothing;
    };
    let path = scan.arena.folder_path(id);
    // On the way to where the rule looks everything is somebody else's.
    let mut roots = scan.roots_of(scan.pile(inside.pile()));
    if !roots.any(|root| path.below(root).is_some()) {
        return Msg::Nothing;
    }
    let known = inside.names_in(scan, id);
    Msg::Others(ticket, folder, others(scan, &path, &known, cancel))
}

fn look_at_programs(scan: &Scan, belongs: &Belongs, cancel: &CancelToken) -> KnownPrograms {
    let inventory = programs(&scan.target, belongs, cancel);
    let renewable = renewable(scan, &inventory);
    KnownPrograms {
        inventory,
        renewable,
        left: Arc::clone(&scan.leftovers),
        portions: left_behind(scan),
    }
}

/// How long a program that was asked to close is waited for.
const PATIENCE: Duration = Duration::from_secs(10);

/// Asks a program to close, and says what became of it.
fn close(program: &RunningProgram) -> Result<String, String> {
    match ask_to_close(program, PATIENCE) {
        Ok(Asked::Closed) => Ok(format!("{program} has closed.")),
        Ok(Asked::StillRuns) => Err(format!(
            "{program} still runs: it may ask something on its own screen. l looks again."
        )),
        Err(error) => Err(format!("{program} was not asked: {error}")),
    }
}

fn unless_cancelled(cancel: &CancelToken, message: Msg) -> Msg {
    if cancel.is_cancelled() {
        Msg::Nothing
    } else {
        message
    }
}

/// Who holds which items.
fn users(scan: &Scan) -> Holders {
    let in_use = InUse::read();
    let mut users = Holders::default();
    for item in scan.arena.items() {
        if let Some(program) = in_use.user_of(scan.arena.key(item)) {
            users.items.insert(item, program.clone());
            let pile = users.piles.entry(scan.arena.pile(item));
            pile.or_insert_with(|| (0, program.clone())).0 += 1;
        }
    }
    users
}

/// Changes the computer's own rulebook, and opens the computer with its new rules.
pub(super) fn change_places(
    session: &Session,
    options: &SharedOptions,
    change: &PlaceChange,
) -> Result<Opened, String> {
    let session = place::change_places(session, change)?;
    let selection = session.selection(options);
    Ok(Opened {
        notes: Vec::new(),
        selection: selection.map_err(|refusal| refusal.message)?,
        volume: session.target.measure().unwrap_or_default(),
        session,
    })
}

/// Folders that a completion offers.
const MOST_OFFERED: usize = 50;

/// The folders of a computer that begin as what was typed, sorted; what isn't text can't be typed.
pub(super) fn complete_inside(session: &Session, text: &str) -> Vec<String> {
    let text = text.trim_start_matches('/');
    let (folder, start) = text.rsplit_once('/').unwrap_or(("", text));
    let Ok(path) = session.target.parse_user_path(folder.as_bytes()) else {
        return Vec::new();
    };
    let disk = session.target.disk();
    let mut found = Vec::new();
    if let Ok(opened) = disk.open_folder(session.target.root(), path.as_bytes()) {
        let listed = disk.list(&opened, &mut |entry| {
            let name = std::ffi::OsStr::from_bytes(entry.name.to_bytes()).to_str();
            let fits = |name: &&str| {
                name.starts_with(start) && (start.starts_with('.') || !name.starts_with('.'))
            };
            if let Some(name) = name.filter(fits)
                && disk
                    .stat(&opened, entry.name)
                    .is_ok_and(|stat| stat.kind == jolly_disk::Kind::Folder)
            {
                let before = if folder.is_empty() {
                    String::new()
                } else {
                    format!("{folder}/")
                };
                found.push(format!("{before}{name}"));
            }
            if found.len() < MOST_OFFERED {
                std::ops::ControlFlow::Continue(())
            } else {
                std::ops::ControlFlow::Break(())
            }
        });
        // What a failed listing told can be chosen all the same.
        drop(listed);
    }
    found.sort();
    found
}
