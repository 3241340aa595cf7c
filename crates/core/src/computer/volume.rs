//! The space of the volume a target lies on, real or stand-in.

mod boot_sector;
pub(super) mod identity;
pub(super) mod mount_list;
pub(super) mod restore_points;

use std::collections::HashSet;
use std::io;
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};
use serde::Deserialize;

use crate::computer::TargetPath;

/// What a volume holds, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Volume {
    /// The whole of it.
    pub size: u64,
    /// What files occupy.
    pub used: u64,
    /// What may still be filled.
    pub free: u64,
}

/// The file at the demo computer's root that makes a folder a small disk of its own.
pub(crate) const DESCRIPTOR: &str = ".otter-quay.toml";

/// What the demo computer says of itself.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct StandIn {
    pub label: String,
    pub owner: String,
    pub layout: String,
    pub capacity: u64,
}

impl Volume {
    /// What is neither used nor free: the file system keeps it for itself and the administrator.
    pub fn reserved(&self) -> u64 {
        self.size
            .saturating_sub(self.used)
            .saturating_sub(self.free)
    }

    /// What files occupy or may still fill.
    pub fn fillable(&self) -> u64 {
        self.used.saturating_add(self.free)
    }

    /// How full it is for an ordinary person, in percent.
    pub fn percent_full(&self) -> u64 {
        let percent = (u128::from(self.used) * 100).checked_div(self.fillable().into());
        percent.map_or(0, |percent| u64::try_from(percent).unwrap_or(100))
    }

    /// Measures the volume of `root`: what the kernel says, or for a stand-in its capacity less
    /// what is really allocated below the root.
    ///
    /// # Errors
    /// What the kernel says.
    pub(crate) fn measure(
        disk: &dyn Disk,
        root: &Folder,
        stand_in: Option<&StandIn>,
    ) -> io::Result<Self> {
        if let Some(stand_in) = stand_in {
            let used = allocated_below(disk, root)?;
            let free = stand_in.capacity.saturating_sub(used);
            return Ok(Self {
                size: stand_in.capacity,
                used,
                free,
            });
        }
        let space = disk.space(root)?;
        Ok(Self {
            size: space.size,
            used: space.used,
            free: space.free,
        })
    }
}

/// Every block below `root`, each inode once, folders included; what can't be read counts nothing.
fn allocated_below(disk: &dyn Disk, root: &Folder) -> io::Result<u64> {
    let mut seen = HashSet::new();
    let mut bytes = disk.stat_folder(root)?.allocated;
    let mut waiting = vec![TargetPath::root()];
    while let Some(path) = waiting.pop() {
        let Ok(folder) = disk.open_folder(root, path.as_bytes()) else {
            continue;
        };
        let listed = disk.list(&folder, &mut |entry| {
            if let Ok(stat) = disk.stat(&folder, entry.name) {
                if stat.links <= 1 || stat.kind == Kind::Folder || seen.insert(stat.key) {
                    bytes = bytes.saturating_add(stat.allocated);
                }
                if stat.kind == Kind::Folder
                    && let Ok(below) = path.join(entry.name.to_bytes())
                {
                    waiting.push(below);
                }
            }
            ControlFlow::Continue(())
        });
        // A folder that stops telling its entries counts what it told.
        drop(listed);
    }
    Ok(bytes)
}
