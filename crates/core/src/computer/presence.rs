//! Whether something is there on a target, following links as the target's own system would and
//! never out of it.

use std::io;
use std::ops::ControlFlow;

use jolly_disk::Kind;

use crate::computer::{Layout, Target, TargetPath, fold};

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

/// The drive that a system calls the volume that it lies on.
const OWN_DRIVE: &str = "C:\\";

/// Looks for a path as a windows system writes it, whatever the case of its letters. Only what lies on its own drive can be
/// gone; other drives aren't here.
pub(crate) fn presence_by_drive(target: &Target, path: &str) -> Presence {
    let on_own = path
        .get(..3)
        .filter(|drive| drive.eq_ignore_ascii_case(OWN_DRIVE));
    let (Layout::Windows, Some(_), Some(below)) = (target.layout, on_own, path.get(3..)) else {
        return Presence::Unknown;
    };
    let mut here = TargetPath::root();
    for part in below.split('\\') {
        // Short names stand for others, and nothing plain is called like these.
        let is_plain = !part.is_empty() && !part.contains('~') && part != "." && part != "..";
        let Some(names) = is_plain.then(|| names_like(target, &here, part)).flatten() else {
            return Presence::Unknown;
        };
        let Some(name) = names.first() else {
            return Presence::Gone;
        };
        let Ok(below) = here.join(name) else {
            return Presence::Unknown;
        };
        if target.mount_points().contains(&below) {
            return Presence::Unknown;
        }
        here = below;
    }
    Presence::There
}

/// The names in a folder that are this one but for the case of letters; nothing where that can't be said, and where a link
/// may lead elsewhere.
fn names_like(target: &Target, folder: &TargetPath, part: &str) -> Option<Vec<Vec<u8>>> {
    let disk = target.disk();
    let wanted = fold(part.as_bytes());
    let opened = match disk.open_folder(target.root(), folder.as_bytes()) {
        // What is below a file is gone.
        Err(error) if error.kind() == io::ErrorKind::NotADirectory => return Some(Vec::new()),
        opened => opened.ok()?,
    };
    let (mut names, mut is_certain) = (Vec::new(), true);
    let listed = disk.list(&opened, &mut |entry| {
        let name = entry.name.to_bytes();
        if fold(name) == wanted {
            let stat = disk.stat(&opened, entry.name);
            is_certain &= stat.is_ok_and(|stat| matches!(stat.kind, Kind::File | Kind::Folder));
            names.push(name.to_vec());
        }
        ControlFlow::Continue(())
    });
    (listed.is_ok() && is_certain).then_some(names)
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
