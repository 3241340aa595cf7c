//! Removing a tree that an archive holds.

use std::collections::HashMap;

use jolly_disk::{Kind, Stat};

use crate::cancel::CancelToken;
use crate::packing::PackError;
use crate::packing::tree::{SourceTree, TreeEntry, TreeRoot, Unfit, look};
use crate::plan::{FileIdentity, Tolerance};

/// Looks at a tree once more: each thing in it must be what was compared, and nothing new may be in it.
///
/// # Errors
/// When something in it is new or changed.
pub(crate) fn still_as(
    place: TreeRoot<'_>,
    compared: &HashMap<Vec<u8>, Stat>,
    cancel: &CancelToken,
) -> Result<SourceTree, PackError> {
    let tree = look(place, &mut Unfit::Refuses, cancel)?;
    match tree.things.iter().find(|thing| !is_as(thing, compared)) {
        None => Ok(tree),
        Some(thing) => Err(PackError::Changed {
            path: place.shown(&thing.below),
        }),
    }
}

fn is_as(thing: &TreeEntry, compared: &HashMap<Vec<u8>, Stat>) -> bool {
    // To be moved changes the last change of what was moved itself.
    let tolerance = if thing.below.is_empty() {
        Tolerance::LastChange
    } else {
        Tolerance::Nothing
    };
    compared.get(&thing.below).is_some_and(|known| {
        let is_same = FileIdentity::of(known).is_same(&thing.stat, tolerance);
        // What goes out of a folder moves its times.
        let is_same_folder = thing.stat.kind == Kind::Folder && thing.stat.key == known.key;
        known.kind == thing.stat.kind && (is_same || is_same_folder)
    })
}

/// Removes a tree, what is in a folder before it. Nothing stops it any more but the disk.
///
/// # Safety argument
/// All of it was compared with an archive that lies on the disk, and it lies where nobody else can enter; each file is
/// looked at right before it goes.
///
/// # Errors
/// When something changed since, or can't be removed; the rest of it is there still.
pub(crate) fn remove_tree(
    place: TreeRoot<'_>,
    tree: &SourceTree,
    compared: &HashMap<Vec<u8>, Stat>,
) -> Result<(), PackError> {
    for thing in tree.things.iter().rev() {
        let (folder, name) = place.open_parent(&thing.below)?;
        let failed = place.failed(&thing.below, "removed");
        if thing.stat.kind == Kind::Folder {
            place.disk.remove_folder(&folder, &name).map_err(failed)?;
            continue;
        }
        let stat = place.disk.stat(&folder, &name).map_err(&failed)?;
        let now = TreeEntry {
            below: thing.below.clone(),
            stat,
        };
        if !is_as(&now, compared) {
            return Err(PackError::Changed {
                path: place.shown(&thing.below),
            });
        }
        place.disk.unlink(&folder, &name).map_err(failed)?;
    }
    Ok(())
}

/// Removes whatever of our own making lies somewhere where nobody else can enter.
///
/// # Errors
/// When something of it can't be removed.
pub(crate) fn remove_own(place: TreeRoot<'_>) -> std::io::Result<()> {
    let TreeRoot { disk, folder, .. } = place;
    // Each folder with whether what is in it is gone.
    let mut waiting = vec![(Vec::new(), false)];
    while let Some((below, is_empty)) = waiting.pop() {
        let (above, own) = match place.open_parent(&below) {
            Ok(opened) => opened,
            Err(PackError::Disk { source, .. }) => return Err(source),
            Err(error) => return Err(std::io::Error::other(error)),
        };
        let stat = match disk.stat(&above, &own) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => continue,
            looked => looked?,
        };
        if stat.kind != Kind::Folder {
            disk.unlink(&above, &own)?;
            continue;
        }
        if is_empty {
            disk.remove_folder(&above, &own)?;
            continue;
        }
        waiting.push((below.clone(), true));
        let opened = disk.open_folder(folder, &place.path_of(&below))?;
        // A folder that came out of an archive may be closed to its own owner.
        let metadata = jolly_disk::Metadata {
            mode: stat.mode | 0o700,
            ..crate::dustpan::metadata_of(&stat)
        };
        drop(disk.apply_metadata(std::os::fd::AsFd::as_fd(&opened), &metadata));
        disk.list(&opened, &mut |entry| {
            let own = match &below[..] {
                [] => entry.name.to_bytes().to_vec(),
                above => [above, entry.name.to_bytes()].join(&b'/'),
            };
            waiting.push((own, false));
            std::ops::ControlFlow::Continue(())
        })?;
    }
    Ok(())
}
