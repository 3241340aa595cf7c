//! Files that lie in several pieces on a disk that turns: there, each piece is a move of the arm.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::collections::VecDeque;
use std::ops::ControlFlow;

use jolly_disk::{Kind, pieces_on_disk};

use crate::computer::{Target, TargetPath};
use crate::format::Printable;
use crate::host::{Mount, is_rotating, mount_of};

/// Files that are named.
const WORST: usize = 10;

/// Fewer files say nothing about a volume.
const LEAST: u64 = 50;

/// From this share on it is worth a word, in percent.
const WORTH_A_WORD: u64 = 10;

/// What is known of files in pieces.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct InPieces {
    /// Files of which the file system says where they lie.
    pub files: u64,
    /// Those of them that lie in more than one piece.
    pub split: u64,
    /// Pieces of all of them.
    pub pieces: u64,
    /// The ones in the most pieces, the worst first: pieces, bytes, path.
    pub worst: Vec<(u64, u64, TargetPath)>,
    /// Whether time was up before all were looked at.
    pub is_least: bool,
    /// The command that mends it on this volume while it is mounted; none where there is none.
    pub mends: Option<String>,
}

impl InPieces {
    /// The share of files in more than one piece, in percent.
    pub fn percent(&self) -> u64 {
        (self.split * 100).checked_div(self.files).unwrap_or(0)
    }

    /// Whether that is worth a word.
    pub fn is_worth_a_word(&self) -> bool {
        self.files >= LEAST && self.percent() > WORTH_A_WORD
    }
}

/// Looks at the files of a target, those of homes first, until `is_due`; nothing where its disk doesn't turn, or its file system
/// writes everything anew in another place anyway.
pub fn files_in_pieces(target: &Target, is_due: &dyn Fn() -> bool) -> Option<InPieces> {
    let turns = target.volume_device().and_then(is_rotating);
    let mount = mount_of(target.root_path())?;
    if turns != Some(true) || ["btrfs", "zfs", "bcachefs", "tmpfs"].contains(&&*mount.kind) {
        return None;
    }
    Some(count_pieces(target, is_due))
}

/// The tool of a file system that puts pieces together while it is mounted (e4defrag(8), `xfs_fsr`(8)).
pub(crate) fn mending_tool(kind: &str) -> Option<&'static [&'static str]> {
    match kind {
        "ext4" => Some(&["/usr/sbin/e4defrag", "/sbin/e4defrag"]),
        "xfs" => Some(&["/usr/sbin/xfs_fsr", "/sbin/xfs_fsr"]),
        _ => None,
    }
}

fn mending_command(mount: &Mount) -> Option<String> {
    let name = mending_tool(&mount.kind)?.first()?.rsplit('/').next()?;
    let point = Printable(mount.point.as_os_str().as_encoded_bytes());
    Some(format!("{name} {point}"))
}

/// The same of any target, whatever it lies on.
pub fn count_pieces(target: &Target, is_due: &dyn Fn() -> bool) -> InPieces {
    let disk = target.disk();
    let mut found = InPieces::default();
    let mut worst: BinaryHeap<Reverse<(u64, u64, TargetPath)>> = BinaryHeap::new();
    let homes = target.accounts.iter().map(|account| account.home.clone());
    let mut waiting: VecDeque<TargetPath> = homes.chain([TargetPath::root()]).collect();
    let homes = waiting.len() - 1;
    let mut looked = 0;
    while let Some(path) = waiting.pop_front() {
        looked += 1;
        // A home was looked at before it is come to from above.
        let is_again = looked > homes && target.accounts.iter().any(|it| it.home == path);
        if is_again {
            continue;
        }
        let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
            continue;
        };
        let listed = disk.list(&folder, &mut |entry| {
            if is_due() {
                found.is_least = true;
                return ControlFlow::Break(());
            }
            let Ok(stat) = disk.stat(&folder, entry.name) else {
                return ControlFlow::Continue(());
            };
            let below = path.join(entry.name.to_bytes());
            match (stat.kind, below) {
                (Kind::Folder, Ok(below)) => waiting.push_back(below),
                (Kind::File, Ok(below)) if stat.allocated > 0 => {
                    let file = disk.open_file(&folder, entry.name);
                    let pieces = file.ok().and_then(|file| pieces_on_disk(&file));
                    if let Some(pieces) = pieces {
                        found.files += 1;
                        found.split += u64::from(pieces > 1);
                        found.pieces += pieces;
                        if pieces > 1 {
                            worst.push(Reverse((pieces, stat.size, below)));
                        }
                        if worst.len() > WORST {
                            worst.pop();
                        }
                    }
                }
                _ => {}
            }
            ControlFlow::Continue(())
        });
        if found.is_least {
            break;
        }
        // A folder that stops telling its entries counts what it told.
        drop(listed);
    }
    let mount = mount_of(target.root_path());
    found.mends = mount.and_then(|mount| mending_command(&mount));
    found.worst = worst
        .into_sorted_vec()
        .into_iter()
        .map(|Reverse(one)| one)
        .collect();
    found
}
