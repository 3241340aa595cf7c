//! Taking out of an archive what it holds, exactly as it was.

use std::collections::BTreeMap;
use std::ffi::{CStr, CString};
use std::io::{self, Read};
use std::os::fd::AsFd as _;

use jolly_disk::{Disk, Folder, Metadata, NotApplied, Stat};

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::dustpan::{ArchiveEntry, Body, Stoppable, each_entry, write_bytes};
use crate::format::Printable;
use crate::packing::compare::below_top;
use crate::packing::tree::TreeRoot;
use crate::packing::{PackError, RESERVE};

/// What the name of an archive ends in.
const ENDING: &[u8] = b".tar.zst";

/// The name of the archive of a thing.
pub(crate) fn archive_name(top: &[u8]) -> Vec<u8> {
    [top, ENDING].concat()
}

/// The name of what an archive holds, by its own; none where it isn't called so.
pub fn top_of(archive: &[u8]) -> Option<&[u8]> {
    let top = archive.strip_suffix(ENDING)?;
    (!top.is_empty() && top != b"." && top != b"..").then_some(top)
}

/// Whose word an archive is.
#[derive(Clone, Copy)]
pub(crate) enum Trust {
    /// Nobody but the administrator or whoever runs this could have written it: all that it says counts.
    Full,
    /// Its owner could have written it: it can give nothing but to that account, and no rights.
    Owner(u32, u32),
}

impl Trust {
    /// How far an archive is trusted that looks so.
    pub(crate) fn of(archive: &Stat, keeps_owners: bool) -> Self {
        let is_shut = archive.mode & 0o022 == 0;
        let is_ours = archive.user == 0 || archive.user == jolly_disk::runner();
        if is_shut && is_ours && keeps_owners {
            Self::Full
        } else {
            Self::Owner(archive.user, archive.group)
        }
    }

    /// Why an entry can't be given what it says.
    fn refuses(self, metadata: &Metadata) -> Option<&'static str> {
        let Self::Owner(user, group) = self else {
            return None;
        };
        if metadata.user != user {
            return Some("it would be somebody else's than the archive is");
        }
        if metadata.mode & 0o2000 != 0 && metadata.group != group {
            return Some("it would give the rights of another group");
        }
        let is_right =
            |name: &[u8]| name.starts_with(b"security.") || name.starts_with(b"trusted.");
        let mut names = metadata.attributes.iter().map(|one| &one.name[..]);
        names
            .any(is_right)
            .then_some("it would give rights that only the administrator gives")
    }
}

/// Takes everything out of an archive that lies below a name, into a place where nobody else can enter. Exactly as it was,
/// or not at all.
///
/// # Errors
/// When the archive can't be read, holds anything beside that name, or what it says can't be given.
pub(crate) fn unpack(
    place: TreeRoot<'_>,
    (archive, top): (impl Read, &[u8]),
    trust: Trust,
    cancel: &CancelToken,
) -> Result<(), PackError> {
    let mut folders: BTreeMap<Vec<u8>, Metadata> = BTreeMap::new();
    let mut why = None;
    let read = Stoppable {
        read: archive,
        stop: cancel,
    };
    let mut is_empty = true;
    let out = each_entry(read, &mut |entry, bytes| {
        is_empty = false;
        let mut refuse = |reason: String| {
            why = Some(format!("{}: {reason}", Printable(&entry.path)));
            io::Error::from(io::ErrorKind::InvalidData)
        };
        // No path may lead anywhere else.
        let is_plain = TargetPath::new(entry.path.clone()).is_ok_and(|path| !path.is_root());
        let below = below_top(&entry.path, top).filter(|_| is_plain);
        let Some(below) = below else {
            return Err(refuse(
                "it lies outside of what the archive is called after".to_owned(),
            ));
        };
        if let Some(reason) = trust.refuses(&entry.metadata) {
            return Err(refuse(reason.to_owned()));
        }
        let above = below.iter().rposition(|byte| *byte == b'/');
        let is_held = below.is_empty()
            || folders.contains_key(below.get(..above.unwrap_or(0)).unwrap_or_default());
        if !is_held {
            return Err(refuse("its folder isn't in the archive".to_owned()));
        }
        let (folder, name) = place
            .open_parent(below)
            .map_err(|error| refuse(crate::error_chain(&error)))?;
        let free = place
            .disk
            .space(&folder)
            .map_or(u64::MAX, |space| space.free);
        if entry.body.stored().saturating_add(RESERVE) > free {
            return Err(refuse("the volume has no room for it".to_owned()));
        }
        let lacking = put(place.disk, (&folder, &name), &entry, bytes, cancel)?;
        if let Some(lacking) = lacking {
            return Err(refuse(format!(
                "{} can't be given: {}",
                lacking.what, lacking.error
            )));
        }
        if entry.body == Body::Folder {
            folders.insert(below.to_vec(), entry.metadata);
        }
        Ok(())
    });
    let no_archive = |why: String| PackError::NoArchive {
        path: Printable(top).to_string(),
        why,
    };
    match (out, why) {
        _ if cancel.is_cancelled() => Err(PackError::Stopped),
        (Err(_), Some(why)) => Err(no_archive(why)),
        (Err(source), None) => Err(PackError::Disk {
            path: "the archive".to_owned(),
            verb: "unpacked",
            source,
        }),
        (Ok(()), _) if is_empty => Err(no_archive("it is empty".to_owned())),
        (Ok(()), _) => finish(place, &folders),
    }
}

/// Gives the folders what they had, and brings all to the disk.
fn finish(place: TreeRoot<'_>, folders: &BTreeMap<Vec<u8>, Metadata>) -> Result<(), PackError> {
    // Deepest first: whatever comes into a folder moves its times.
    for (below, metadata) in folders.iter().rev() {
        let failed = place.failed(below, "given what it had");
        let opened = place.disk.open_folder(place.folder, &place.path_of(below));
        let folder = opened.map_err(&failed)?;
        if let Some(lacking) = place.disk.apply_metadata(folder.as_fd(), metadata).pop() {
            return Err(failed(lacking.error));
        }
    }
    place
        .disk
        .sync_volume(place.folder)
        .map_err(place.failed(b"", "brought to the disk"))
}

/// Makes one thing; what of it can't be given.
fn put(
    disk: &dyn Disk,
    (folder, name): (&Folder, &CString),
    entry: &ArchiveEntry,
    bytes: &mut dyn Read,
    cancel: &CancelToken,
) -> io::Result<Option<NotApplied>> {
    let name: &CStr = name;
    match &entry.body {
        Body::Folder => {
            disk.make_folder(folder, name)?;
            Ok(None)
        }
        Body::Link(to) => {
            disk.make_link(folder, name, to)?;
            Ok(disk
                .apply_link_metadata(folder, name, &entry.metadata)
                .pop())
        }
        Body::File(_) | Body::Sparse { .. } => {
            let file = disk.make_file(folder, name)?;
            write_bytes(&file, (entry, false), bytes, cancel)??;
            Ok(disk.apply_metadata(file.as_fd(), &entry.metadata).pop())
        }
    }
}
