//! What tells one computer from all others, whatever it is called and wherever it is mounted.

use jolly_disk::{Disk, Folder};

use crate::computer::read_small;
use crate::computer::volume::{StandIn, boot_sector};
use crate::host::volume_id;

/// What tells a computer from others: what its own system calls itself, the number that its volume bears,
/// and when and as what its root was made there. A name and a path say nothing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Identity {
    text: String,
    is_by_path: bool,
}

impl Identity {
    /// As it is written into logs, dustpans and the names of job sheets.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Whether nothing but the path is known of it: another computer may be there tomorrow.
    pub fn is_by_path(&self) -> bool {
        self.is_by_path
    }

    /// Asks a target for what it is.
    pub(crate) fn of(
        disk: &dyn Disk,
        root: &Folder,
        path: &std::path::Path,
        stand_in: Option<&StandIn>,
    ) -> Self {
        let mut parts = Vec::new();
        if let Some(stand_in) = stand_in {
            parts.push(format!("stand-in {} {}", stand_in.owner, stand_in.label));
        }
        parts.extend(machine(disk, root).map(|id| format!("machine {id}")));
        let stat = disk.stat_folder(root).ok();
        let by_number = disk
            .volume_number(root)
            .map(|number| format!("volume {number:016x}"));
        let by_name = || {
            let device = stat.as_ref()?.key.device;
            Some(format!("volume {}", volume_id(device)?))
        };
        let by_sector = || Some(format!("volume {}", boot_sector::volume_number(path)?));
        let volume = by_number.or_else(by_name).or_else(by_sector);
        let is_volume = stat.as_ref().is_some_and(|stat| stat.is_mount);
        // Of a folder somewhere on a volume, the volume's number says nothing.
        let mut is_known = volume.is_some() && is_volume;
        parts.extend(volume);
        if let Some((stat, born)) = stat.zip(disk.birth(root)) {
            let (inode, seconds, nanos) = (stat.key.inode, born.seconds, born.nanos);
            parts.push(format!("root {inode} made {seconds}.{nanos:09}"));
            is_known = true;
        }
        is_known |= parts.iter().any(|part| part.starts_with("machine "));
        if !is_known {
            parts.push(format!("folder {}", path.display()));
        }
        Self {
            text: parts.join(", "),
            is_by_path: !is_known,
        }
    }
}

/// The identifier that a linux system gave itself (machine-id(5)).
fn machine(disk: &dyn Disk, root: &Folder) -> Option<String> {
    let bytes = read_small(disk, root, b"etc", c"machine-id").ok()?;
    let text = String::from_utf8(bytes).ok()?;
    let text = text.trim();
    let is_id = text.len() == 32 && text.bytes().all(|byte| byte.is_ascii_hexdigit());
    is_id.then(|| text.to_ascii_lowercase())
}
