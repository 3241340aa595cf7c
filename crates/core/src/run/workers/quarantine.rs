//! The quarantine: how things leave folders in which others may change names.
//!
//! Linux removes by name, so that between the last look at a name and its removal somebody else could put
//! another file there. Where others may do that, a name is first moved into a folder that nobody else can
//! enter, is looked at once more there, and only then removed; what isn't what was shown goes back. A folder that goes
//! whole is moved there as one.

pub(crate) mod folders;

use std::collections::{BTreeMap, HashSet};
use std::ffi::{CStr, CString};
use std::io;
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError, RwLock};

use jolly_disk::{Disk, Folder, Stat};

use crate::computer::{Target, TargetPath};
use crate::format::Printable;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{FileIdentity, Manifest, Moment, StayReason, Tolerance};
use crate::rule::RuleSet;
use crate::run::workers::quarantine::folders::{WholeFolders, number_of_folder, return_folder};
use crate::run::{LogEntry, RunContext};
use crate::state::RunId;

/// What its name begins with; the run's id follows.
const NAME: &str = ".jolly-broom-";

/// The quarantine of one run, made when it is first needed.
pub(crate) struct Quarantine<'a> {
    target: &'a Target,
    manifest: &'a Manifest,
    rules: &'a RuleSet,
    /// The folders that go whole, looked up when that is first asked.
    whole: OnceLock<WholeFolders>,
    /// Folders that could not be given back, and where they lie.
    lying: Mutex<Vec<(Vec<u8>, String)>>,
    name: CString,
    state: Mutex<State>,
    /// Held by everything on its way out, so that nobody closes the folder that it is in.
    in_flight: RwLock<()>,
}

enum State {
    Closed,
    Open(Arc<InQuarantine>),
    /// None could be had for what left these folders: they can't be written, or the volume is full.
    Impossible(HashSet<TargetPath>),
    /// The volume keeps no rights, so nothing on it can be closed to anybody.
    Never,
}

/// The open folder.
struct InQuarantine {
    /// Where it lies: the target's root, or the folder that something left.
    place: TargetPath,
    folder: Arc<Folder>,
}

/// Where no quarantine can be had.
enum Impossible {
    InThisFolder,
    OnThisVolume,
}

impl From<io::Error> for Impossible {
    fn from(_: io::Error) -> Self {
        Self::InThisFolder
    }
}

/// What became of a name that was to leave through the quarantine.
pub(crate) enum Passed {
    /// It is gone.
    Removed,
    /// It stays, or lies where the reason says.
    Stays(ItemOutcome),
    /// There is no quarantine for it, and nothing was touched.
    Unavailable,
}

impl<'a> Quarantine<'a> {
    /// Of a run that carries out a list; nothing is touched yet.
    pub(crate) fn of(context: &RunContext<'a>, manifest: &'a Manifest, run: &RunId) -> Self {
        Self {
            target: context.target,
            manifest,
            rules: context.rules,
            whole: OnceLock::new(),
            lying: Mutex::default(),
            name: name_of(run),
            state: Mutex::new(State::Closed),
            in_flight: RwLock::default(),
        }
    }

    fn disk(&self) -> &'a dyn Disk {
        &**self.target.disk()
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Removes a name that is not a folder's, and that was looked at.
    ///
    /// # Safety argument
    /// What was moved is looked at where nobody else can reach its name, so that it is what was shown
    /// when it goes. A crash in between leaves it in the quarantine, from where [`empty`] puts it back.
    pub(crate) fn remove(
        &self,
        (folder, path): (&Folder, &TargetPath),
        name: &CStr,
        number: u64,
        seen: &Stat,
    ) -> Passed {
        let _passage = self
            .in_flight
            .read()
            .unwrap_or_else(PoisonError::into_inner);
        let Some(inside) = self.open(path) else {
            return Passed::Unavailable;
        };
        let (disk, held) = (self.disk(), name_of_number(number));
        if let Err(error) = disk.move_name(folder, name, &inside.folder, &held) {
            return match error.kind() {
                // Whoever owns the folder that it lies in can take the quarantine away.
                io::ErrorKind::NotFound if disk.stat(folder, name).is_ok() => {
                    *self.lock() = State::Closed;
                    Passed::Stays(ItemOutcome::stays(StayReason::WayOutTakenAway))
                }
                // Renaming may need room, and the parts of one volume may be kept apart.
                io::ErrorKind::CrossesDevices
                | io::ErrorKind::StorageFull
                | io::ErrorKind::QuotaExceeded => Passed::Unavailable,
                _ => Passed::Stays(ItemOutcome::of_error(&error, "remove")),
            };
        }
        // Moving it has changed nothing but its last change.
        let is_it = |now: &Stat| {
            now.kind == seen.kind && FileIdentity::of(seen).is_same(now, Tolerance::LastChange)
        };
        let refusal = match disk.stat(&inside.folder, &held) {
            Ok(now) if is_it(&now) => match disk.unlink(&inside.folder, &held) {
                Ok(()) => return Passed::Removed,
                Err(error) => StayReason::of_error(&error, "remove"),
            },
            Ok(_) => StayReason::Replaced(Moment::AtTheEnd),
            Err(error) => StayReason::of_error(&error, "look at"),
        };
        let back = (folder, name);
        let lies = put_back(disk, (&inside.folder, &held), back, number);
        let place = match lies {
            ReturnedTo::There => return Passed::Stays(ItemOutcome::stays(refusal)),
            ReturnedTo::Beside(name) => format!("beside it as {name}"),
            ReturnedTo::InQuarantine => format!("in {} as {number}", self.shown(&inside.place)),
        };
        Passed::Stays(ItemOutcome::stays(StayReason::LiesElsewhere {
            because: Box::new(refusal),
            place,
        }))
    }

    fn shown(&self, place: &TargetPath) -> String {
        let path = place.join(self.name.as_bytes());
        path.map_or_else(|_| place.to_string(), |path| path.to_string())
    }

    /// The open quarantine, made in the target's root, or where something leaves if that can't be written.
    fn open(&self, path: &TargetPath) -> Option<Arc<InQuarantine>> {
        let mut state = self.lock();
        let parent = path.parent().unwrap_or_default();
        let mut tried = match &mut *state {
            State::Open(inside) => return Some(Arc::clone(inside)),
            State::Never => return None,
            State::Impossible(tried) if tried.contains(&parent) => return None,
            State::Impossible(tried) => std::mem::take(tried),
            State::Closed => HashSet::new(),
        };
        for place in [TargetPath::default(), parent.clone()] {
            match self.make(place) {
                Ok(inside) => {
                    let inside = Arc::new(inside);
                    *state = State::Open(Arc::clone(&inside));
                    return Some(inside);
                }
                Err(Impossible::OnThisVolume) => {
                    *state = State::Never;
                    return None;
                }
                Err(Impossible::InThisFolder) => {}
            }
        }
        tried.insert(parent);
        *state = State::Impossible(tried);
        None
    }

    fn make(&self, place: TargetPath) -> Result<InQuarantine, Impossible> {
        let (disk, name) = (self.disk(), &self.name);
        let holding = disk.open_folder(self.target.root(), place.as_bytes())?;
        disk.make_folder(&holding, name)?;
        let folder = disk.open_folder(&holding, name.to_bytes())?;
        // Somebody may have put a folder of their own there; and some volumes keep no rights.
        if !disk.is_private(&folder) {
            drop(disk.remove_folder(&holding, name));
            return Err(if disk.keeps_owners(&holding) {
                Impossible::InThisFolder
            } else {
                Impossible::OnThisVolume
            });
        }
        let folder = Arc::new(folder);
        Ok(InQuarantine { place, folder })
    }

    /// Makes way for a folder that is about to go: the quarantine must not be what it holds.
    pub(crate) fn make_way(&self, path: &TargetPath) {
        let is_in_it = matches!(&*self.lock(), State::Open(inside) if inside.place == *path);
        if is_in_it {
            self.close();
        }
    }

    /// Closes it; something that could neither go nor return keeps it there.
    pub(crate) fn close(&self) {
        let _nobody_is_on_the_way = self
            .in_flight
            .write()
            .unwrap_or_else(PoisonError::into_inner);
        let state = std::mem::replace(&mut *self.lock(), State::Closed);
        if let State::Open(inside) = state {
            let disk = self.disk();
            let holding = disk.open_folder(self.target.root(), inside.place.as_bytes());
            drop(holding.and_then(|holding| disk.remove_folder(&holding, &self.name)));
        }
    }
}

/// Puts back what a run that died left in its quarantines, in the target's root or in the folders named: each thing to
/// the path that the log knows for its number. Says where each is by then.
pub(crate) fn empty(
    target: &Target,
    run: &RunId,
    folders: &mut dyn Iterator<Item = TargetPath>,
    entries: &[LogEntry],
) -> BTreeMap<u64, ReturnedTo> {
    let mut found = BTreeMap::new();
    let (disk, name) = (&**target.disk(), name_of(run));
    let path_of = |number: u64| {
        let at = entries.binary_search_by_key(&number, |entry| entry.intent.n);
        Some(entries.get(at.ok()?)?.path.clone())
    };
    for place in std::iter::once(TargetPath::default()).chain(folders) {
        let Ok(holding) = disk.open_folder(target.root(), place.as_bytes()) else {
            continue;
        };
        let Ok(inside) = disk.open_folder(&holding, name.to_bytes()) else {
            continue;
        };
        // Anybody can make a folder of that name where they may write.
        if !disk.is_private(&inside) {
            continue;
        }
        let mut held: Vec<(TargetPath, CString)> = Vec::new();
        // What can't be listed is left; the items that were in it count as gone then.
        drop(disk.list(&inside, &mut |entry| {
            let belongs = match number_of_folder(entry.name) {
                Some((number, _)) => path_of(number).and_then(|path| path.parent()),
                None => number_of(entry.name).and_then(path_of),
            };
            held.extend(belongs.map(|path| (path, entry.name.to_owned())));
            ControlFlow::Continue(())
        }));
        // Each goes back into the one that it belongs in.
        held.sort_by_key(|(path, _)| path.as_bytes().len());
        for (path, held) in held {
            let parent = path.parent().unwrap_or_default();
            let back = disk.open_folder(target.root(), parent.as_bytes());
            let back = back.as_ref().ok().map(|back| (back, path.as_name()));
            if let Some((_, rights)) = number_of_folder(&held) {
                // It is the same folder wherever it lies afterwards.
                let folder = disk.open_folder(&inside, held.to_bytes());
                let lies = return_folder(disk, (&inside, &held), rights, back);
                if let Ok(folder) = folder {
                    note_contents(&mut found, (disk, &folder), (&path, &lies), entries);
                }
            } else if let Some(number) = number_of(&held) {
                let lies = back.map_or(ReturnedTo::InQuarantine, |back| {
                    put_back(disk, (&inside, &held), back, number)
                });
                found.insert(number, lies);
            }
        }
        drop(disk.remove_folder(&holding, &name));
    }
    found
}

/// Notes of what is still in a folder that could not go back where that lies by now.
fn note_contents(
    found: &mut BTreeMap<u64, ReturnedTo>,
    (disk, opened): (&dyn Disk, &Folder),
    (folder, lies): (&TargetPath, &ReturnedTo),
    entries: &[LogEntry],
) {
    let is_in_it = |entry: &&LogEntry| {
        let is_open = entry.outcome.is_none();
        is_open && entry.path.folder_bytes() == folder.as_bytes()
    };
    for entry in entries.iter().filter(is_in_it) {
        let its = match lies {
            // What is in it is found under its name, or isn't and is gone.
            ReturnedTo::There => return,
            ReturnedTo::InQuarantine => ReturnedTo::InQuarantine,
            ReturnedTo::Beside(name) => ReturnedTo::Beside(name.clone()),
        };
        if disk.stat(opened, entry.path.as_name()).is_ok() {
            found.entry(entry.intent.n).or_insert(its);
        }
    }
    let itself = entries.iter().find(|entry| entry.path == *folder);
    if let (Some(entry), ReturnedTo::Beside(name)) = (itself, lies) {
        found.insert(entry.intent.n, ReturnedTo::Beside(name.clone()));
    } else if let (Some(entry), ReturnedTo::InQuarantine) = (itself, lies) {
        found.insert(entry.intent.n, ReturnedTo::InQuarantine);
    }
}

fn number_of(held: &CStr) -> Option<u64> {
    held.to_str().ok()?.parse().ok()
}

/// Where something is that was to go back.
pub(crate) enum ReturnedTo {
    /// Under its name.
    There,
    /// Under this name beside its own, where something else stands by now.
    Beside(String),
    /// Still in the quarantine.
    InQuarantine,
}

/// Moves a thing back under its name, or beside it when something stands there by now; nothing is
/// replaced.
fn put_back(
    disk: &dyn Disk,
    (inside, held): (&Folder, &CStr),
    (folder, name): (&Folder, &CStr),
    number: u64,
) -> ReturnedTo {
    let is_folder = number_of_folder(held).is_some();
    let back = |name: &CStr| {
        if is_folder {
            disk.move_folder(inside, held, folder, name)
        } else {
            disk.move_name(inside, held, folder, name)
        }
    };
    match back(name) {
        Ok(()) => ReturnedTo::There,
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            let beside = [name.to_bytes(), format!(".{number}").as_bytes()].concat();
            let shown = Printable(&beside).to_string();
            let moved = CString::new(beside)
                .map_err(io::Error::from)
                .and_then(|beside| back(&beside));
            moved.map_or(ReturnedTo::InQuarantine, |()| ReturnedTo::Beside(shown))
        }
        Err(_) => ReturnedTo::InQuarantine,
    }
}

fn name_of(run: &RunId) -> CString {
    CString::new(format!("{NAME}{run}")).unwrap_or_else(|_| CString::from(c".jolly-broom-run"))
}

fn name_of_number(number: u64) -> CString {
    CString::new(number.to_string()).unwrap_or_default()
}
