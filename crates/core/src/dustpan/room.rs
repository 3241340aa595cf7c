//! Where there is room for what is set aside.

use std::io;
use std::path::{Path, PathBuf};

use jolly_disk::trusted_folder;

use crate::computer::Target;
use crate::dustpan::MOST_STORED;
use crate::plan::{Manifest, safety_copies};
use crate::rule::Removal;
use crate::state::StateFolder;

/// The folder on a target's own volume for a dustpan that fits nowhere else.
pub const ON_TARGET: &str = ".jolly-broom-dustpan";

/// What an entry costs beside its bytes: header, records and the rest of its last block.
const HEAD: u64 = 2048;

/// What must stay free beside the dustpan, for logs and for whoever else writes.
const RESERVE: u64 = 64 << 20;

/// Where a dustpan goes, and what that means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Room {
    /// The folder of the archive; none for the state folder's own.
    pub folder: Option<PathBuf>,
    /// What it may need at most, in bytes: nothing is known of how well things pack.
    pub needs: u64,
    /// What is free there.
    pub free: u64,
    /// Whether it is the target's own volume: then only what packing saves comes back.
    pub is_targets: bool,
}

/// Why nothing can be set aside.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum RoomError {
    #[error("there is no room to set {needs} bytes aside: {free} are free at {}", path.display())]
    TooSmall {
        needs: u64,
        free: u64,
        path: PathBuf,
    },
    #[error("on the volume of {} files have no owners, so whoever reads it could read what is set aside", path.display())]
    Ownerless { path: PathBuf },
    #[error("cannot measure the volume of {}", path.display())]
    Measure { path: PathBuf, source: io::Error },
}

/// Whether what is set aside first goes onto the target's own volume, where only what packing saves comes back. What
/// can't be measured is not: the check before a sweep says why.
#[must_use]
pub fn is_dustpan_on_target(state: &StateFolder, target: &Target, place: Option<&Path>) -> bool {
    let folder = place.map_or_else(|| state.dustpan_folder(), Path::to_owned);
    let disk = target.disk();
    let root = disk.open_root(nearest_folder(&folder));
    let device = root.and_then(|root| Ok(disk.stat_folder(&root)?.key.device));
    device.is_ok_and(|device| Some(device) == target.volume_device())
}

/// The folder itself, or the nearest above it that is there.
fn nearest_folder(path: &Path) -> &Path {
    let there = path.ancestors().find(|path| path.is_dir());
    there.unwrap_or(Path::new("/"))
}

/// Looks where what a manifest sets aside has room: in the folder that was named, else in the state
/// folder, else on the target itself. Nothing when it sets nothing aside and nothing is copied first. Where
/// files have no owners, whoever reads the volume could read the dustpan: there it is not put.
///
/// # Errors
/// When there is room nowhere.
pub fn find_room(
    state: &StateFolder,
    target: &Target,
    manifest: &Manifest,
    place: Option<&Path>,
) -> Result<Option<Room>, RoomError> {
    let copies = safety_copies(target, manifest);
    let (mut whole, mut largest) = (copies.bytes, None);
    manifest.items.each_view(&mut |_, item| {
        if item.by() == Removal::SetAside {
            let size = item.stored().saturating_add(HEAD);
            whole = whole.saturating_add(size);
            largest = largest.max(Some(size));
        }
    });
    if largest.is_none() && copies.is_empty() {
        return Ok(None);
    }
    // On its own volume things come back frame by frame: what is packed and not yet gone is at most
    // one frame.
    let frame = largest.unwrap_or(0).max(MOST_STORED);
    let frame = frame.saturating_add(copies.bytes);
    let own = target.volume_device();
    let disk = target.disk();
    let measure = |path: &Path| {
        let folder = disk.open_root(nearest_folder(path))?;
        let device = disk.stat_folder(&folder)?.key.device;
        Ok((
            device,
            disk.space(&folder)?.free,
            disk.keeps_owners(&folder),
        ))
    };
    let state_folder = place.map_or_else(|| state.dustpan_folder(), Path::to_owned);
    let (device, free, keeps_owners) =
        measure(&state_folder).map_err(|source| RoomError::Measure {
            path: state_folder.clone(),
            source,
        })?;
    let is_targets = Some(device) == own;
    let needs = if is_targets { frame.min(whole) } else { whole };
    if !keeps_owners {
        return Err(RoomError::Ownerless { path: state_folder });
    }
    let in_state = Room {
        folder: place.map(Path::to_owned),
        needs,
        free,
        is_targets,
    };
    if free >= needs.saturating_add(RESERVE.min(free / 8)) {
        return Ok(Some(in_state));
    }
    let on_target = target.root_path().join(ON_TARGET);
    // A folder that somebody else put there would hand it all to them.
    let is_trusted = trusted_folder(&on_target).is_ok();
    if let Ok((_, free, true)) = measure(&on_target)
        && is_trusted
        && place.is_none()
        && !is_targets
        && free >= frame.min(whole).saturating_add(RESERVE)
        && disk.may_change(target.root())
    {
        return Ok(Some(Room {
            folder: Some(on_target),
            needs: frame.min(whole),
            free,
            is_targets: true,
        }));
    }
    Err(RoomError::TooSmall {
        needs,
        free,
        path: state_folder,
    })
}
