//! Whether something is there on a target, following links as the target's own system would and
//! never out of it.

use std::collections::HashMap;
use std::io;
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

use jolly_disk::Kind;

use crate::computer::{Layout, Target, TargetPath, fold, read_whole};
use crate::format::windows::hive::{self, Hive};

/// What is known of a path on a target.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Presence {
    /// Something is there.
    There,
    /// Nothing is.
    Gone,
    /// It can't be said: it is on another volume, made at run time, or may not be read.
    Unknown,
}

/// Links followed before a path counts as a loop (the kernel's own limit).
const MOST_LINKS: usize = 40;

/// Parts walked before a path counts as nonsense.
const MOST_PARTS: usize = 1_000;

/// Folders of a root that are filled at run time or hold other volumes.
const ELSEWHERE: [&[u8]; 9] = [
    b"proc", b"sys", b"dev", b"run", b"mnt", b"media", b"Volumes", b"Network", b"net",
];

/// Folders of a macos root that lie on a volume of their own, sealed and mounted apart.
const SEALED: [&[u8]; 4] = [b"System", b"usr", b"bin", b"sbin"];

/// Whether the system's own folders are on this volume: of a macos disk, the volume with the homes
/// may be here without them.
fn has_own_system(target: &Target) -> bool {
    let core = TargetPath::new("System/Library/CoreServices");
    target.layout != Layout::Macos
        || core.is_ok_and(|core| {
            target
                .disk()
                .open_folder(target.root(), core.as_bytes())
                .is_ok()
        })
}

/// Looks for `path`, as the target's own system would read it in `folder`.
pub(crate) fn presence(target: &Target, folder: &TargetPath, path: &[u8]) -> Presence {
    // A path is written otherwise there, and names may differ in case.
    if target.layout == Layout::Windows || path.is_empty() {
        return Presence::Unknown;
    }
    let mut at: Vec<Vec<u8>> = if path.starts_with(b"/") {
        Vec::new()
    } else {
        folder.parts().map(<[u8]>::to_vec).collect()
    };
    let parts_of = |path: &[u8]| -> Vec<Vec<u8>> {
        let parts = path.split(|byte| *byte == b'/').rev();
        parts
            .filter(|part| !part.is_empty())
            .map(<[u8]>::to_vec)
            .collect()
    };
    let mut waiting = parts_of(path);
    let (mut links, mut walked) = (0, 0);
    while let Some(part) = waiting.pop() {
        walked += 1;
        if walked > MOST_PARTS {
            return Presence::Unknown;
        }
        match &part[..] {
            b"." => continue,
            b".." => {
                at.pop();
                continue;
            }
            _ => {}
        }
        let is_elsewhere = at.is_empty()
            && (ELSEWHERE.contains(&&part[..])
                || (SEALED.contains(&&part[..]) && !has_own_system(target)));
        let here = TargetPath::new(at.join(&b'/'));
        let (false, Ok(here)) = (is_elsewhere, here) else {
            return Presence::Unknown;
        };
        let Ok(below) = here.join(&part) else {
            return Presence::Unknown;
        };
        if target.mount_points().contains(&below) {
            return Presence::Unknown;
        }
        match kind_of(target, &here, &below) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return gone(target, &here, &part);
            }
            Err(error) if error.kind() == io::ErrorKind::NotADirectory => return Presence::Gone,
            Err(_) => return Presence::Unknown,
            Ok(Kind::Link) => {
                links += 1;
                let Ok(to) = link_of(target, &here, &below) else {
                    return Presence::Unknown;
                };
                // A loop leads nowhere.
                if links > MOST_LINKS {
                    return Presence::Gone;
                }
                if to.starts_with(b"/") {
                    at.clear();
                }
                waiting.extend(parts_of(&to));
            }
            Ok(_) => at.push(part),
        }
    }
    Presence::There
}

/// The drive that a system calls the volume that it lies on, unless its registry says another.
const OWN_DRIVE: char = 'C';

/// Where its registry says so.
const REGISTRY: &str = "Windows/System32/config/SOFTWARE";
const VERSION: &str = "Microsoft\\Windows NT\\CurrentVersion";

/// The drive that a windows system calls its own: that of its own folder.
fn own_drive(target: &Target) -> char {
    let read = || {
        let disk = &**target.disk();
        let path = target.with_disk_case(&TargetPath::new(REGISTRY).ok()?);
        let folder = disk.open_folder(target.root(), path.folder_bytes()).ok()?;
        let bytes = read_whole(disk, &folder, path.as_name(), hive::MOST).ok()?;
        // That it isn't finished doesn't matter: a system never moves.
        let hive = Hive::read_unfinished(bytes).ok()?;
        let root = hive.text(hive.key(VERSION)?, "SystemRoot")?;
        let mut letters = root.chars();
        let drive = letters.next().filter(char::is_ascii_alphabetic)?;
        (letters.next() == Some(':')).then_some(drive)
    };
    read().unwrap_or(OWN_DRIVE)
}

/// So many names of all folders are remembered; beyond that nobody can say what is gone.
const MOST_NAMES: usize = 1_000_000;

/// The names in a folder by their small letters; none for one that leads elsewhere or that nobody can tell.
type Names = HashMap<Vec<u8>, Option<Vec<u8>>>;

/// What lies in folders to a system that ignores case; each folder is listed once for many questions.
#[derive(Default)]
pub(crate) struct FoldedNames {
    folders: Mutex<KnownFolders>,
    /// The drive that the system calls its own.
    drive: OnceLock<char>,
}

#[derive(Default)]
struct KnownFolders {
    folders: HashMap<TargetPath, Option<Arc<Names>>>,
    /// How many names all of them have.
    held: usize,
}

impl FoldedNames {
    /// Forgets what it knows: it may have changed.
    pub(crate) fn forget(&self) {
        *self.lock() = KnownFolders::default();
    }

    fn lock(&self) -> MutexGuard<'_, KnownFolders> {
        self.folders.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The names in a folder; nothing where that can't be said.
    fn of(&self, target: &Target, folder: &TargetPath) -> Option<Arc<Names>> {
        let mut known = self.lock();
        if let Some(names) = known.folders.get(folder) {
            return names.clone();
        }
        let room = MOST_NAMES.saturating_sub(known.held);
        let names = list_folded(target, folder, room).map(Arc::new);
        known.held += names.as_ref().map_or(0, |names| names.len());
        known.folders.insert(folder.clone(), names.clone());
        names
    }
}

fn list_folded(target: &Target, folder: &TargetPath, room: usize) -> Option<Names> {
    let disk = target.disk();
    let opened = match disk.open_folder(target.root(), folder.as_bytes()) {
        // What is below a file is gone.
        Err(error) if error.kind() == io::ErrorKind::NotADirectory => return Some(Names::new()),
        opened => opened.ok()?,
    };
    let mut names = Names::new();
    let mut many = 0;
    let listed = disk.list(&opened, &mut |entry| {
        many += 1;
        if many > room {
            return ControlFlow::Break(());
        }
        let looked = || disk.stat(&opened, entry.name).ok().map(|stat| stat.kind);
        let kind = entry.kind.or_else(looked);
        let is_plain = matches!(kind, Some(Kind::File | Kind::Folder));
        let name = is_plain.then(|| entry.name.to_bytes().to_vec());
        let folded = names.entry(fold(entry.name.to_bytes()));
        // Of two that differ in case alone nobody knows which is meant.
        folded.and_modify(|other| *other = None).or_insert(name);
        ControlFlow::Continue(())
    });
    (listed.is_ok() && many <= room).then_some(names)
}

/// Looks for a path as a windows system writes it, whatever the case of its letters. Only what lies on its own drive can be
/// gone; other drives aren't here.
pub(crate) fn presence_by_drive(target: &Target, known: &FoldedNames, path: &str) -> Presence {
    let found = find_by_drive(target, known, path);
    found.map_or_else(|absent| absent, |_| Presence::There)
}

/// Where such a path lies on the target, as its names are written there; or why that can't be said.
pub(crate) fn find_by_drive(
    target: &Target,
    known: &FoldedNames,
    path: &str,
) -> Result<TargetPath, Presence> {
    let mut letters = path.chars();
    let drive = letters.next().filter(char::is_ascii_alphabetic);
    let (Layout::Windows, Some(drive), Some(below)) =
        (target.layout, drive, letters.as_str().strip_prefix(":\\"))
    else {
        return Err(Presence::Unknown);
    };
    let own = known.drive.get_or_init(|| own_drive(target));
    if !drive.eq_ignore_ascii_case(own) {
        return Err(Presence::Unknown);
    }
    let mut here = TargetPath::root();
    for part in below.split('\\') {
        // Short names stand for others, and nothing plain is called like these.
        let is_plain = !part.is_empty() && !part.contains('~') && part != "." && part != "..";
        let Some(names) = is_plain.then(|| known.of(target, &here)).flatten() else {
            return Err(Presence::Unknown);
        };
        let name = match names.get(&fold(part.as_bytes())) {
            None => return Err(Presence::Gone),
            Some(None) => return Err(Presence::Unknown),
            Some(Some(name)) => name,
        };
        let Ok(below) = here.join(name) else {
            return Err(Presence::Unknown);
        };
        if target.mount_points().contains(&below) {
            return Err(Presence::Unknown);
        }
        here = below;
    }
    Ok(here)
}

/// Whether a name that isn't there is really gone: on layouts that ignore case another spelling
/// of it counts.
fn gone(target: &Target, here: &TargetPath, part: &[u8]) -> Presence {
    let Ok(name) = std::str::from_utf8(part) else {
        return Presence::Unknown;
    };
    let others = crate::computer::places::find::anything(
        &**target.disk(),
        target.root(),
        here,
        &[&crate::computer::places::find::literal(name)],
        target.layout,
    );
    if others.is_empty() {
        Presence::Gone
    } else {
        Presence::Unknown
    }
}

fn kind_of(target: &Target, here: &TargetPath, below: &TargetPath) -> io::Result<Kind> {
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), here.as_bytes())?;
    Ok(disk.stat(&folder, below.as_name())?.kind)
}

fn link_of(target: &Target, here: &TargetPath, below: &TargetPath) -> io::Result<Vec<u8>> {
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), here.as_bytes())?;
    disk.read_link(&folder, below.as_name())
}
