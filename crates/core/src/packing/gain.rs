//! What packing would gain, from samples.

use std::fs::File;
use std::os::unix::fs::FileExt as _;

use crate::packing::tree::{SourceTree, TreeRoot};
use crate::packing::write::LEVEL;

/// How many of the biggest files are sampled: they decide.
const SAMPLES: usize = 32;

/// How many pieces of each, from its beginning to its end: what is in a file need not be alike all through.
const PIECES: u64 = 4;

/// Bytes of each piece.
const PIECE: u64 = 64 * 1024;

/// What packing would gain, about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Gain {
    /// The lengths of the files, in bytes.
    pub size: u64,
    /// What it holds on the disk, in bytes.
    pub held: u64,
    /// About how many bytes the archive takes.
    pub packed: u64,
}

impl Gain {
    /// What packing something has gained.
    pub(crate) fn of(size: u64, held: u64, packed: u64) -> Self {
        Self { size, held, packed }
    }

    /// Whether it is worth it: a tenth at least, and a block.
    pub fn is_worth_it(&self) -> bool {
        self.held.saturating_sub(self.packed) > (self.held / 10).max(4096)
    }
}

/// Packs some pieces of a file; how many bytes they had, and have then.
fn sample(file: &File, size: u64) -> (usize, usize) {
    let last = size.saturating_sub(PIECE);
    let mut sums = (0, 0);
    for number in 0..PIECES {
        let at = last / (PIECES - 1).max(1) * number;
        let mut piece = vec![0; usize::try_from(PIECE.min(size)).unwrap_or(0)];
        let Ok(read) = file.read_at(&mut piece, at) else {
            continue;
        };
        piece.truncate(read);
        if let Ok(small) = zstd::bulk::compress(&piece, LEVEL) {
            sums.0 += piece.len();
            sums.1 += small.len();
        }
        if last == 0 {
            break;
        }
    }
    sums
}

/// Estimates what packing a tree would gain.
pub(crate) fn gain_of(place: TreeRoot<'_>, tree: &SourceTree) -> Gain {
    let mut files: Vec<_> = tree.files().filter(|file| file.stat.size > 0).collect();
    files.sort_by_key(|file| std::cmp::Reverse(file.stat.size));
    let (mut read, mut packed) = (0_f64, 0_f64);
    for file in files.into_iter().take(SAMPLES) {
        let Ok((folder, name)) = place.open_parent(&file.below) else {
            continue;
        };
        let Ok(opened) = place.disk.open_file(&folder, &name) else {
            continue;
        };
        let (whole, small) = sample(&opened, file.stat.size);
        if whole > 0 {
            // Each counts as much as it has bytes.
            let weight = file.stat.size as f64;
            read += weight;
            packed += weight * (small as f64 / whole as f64).min(1.0);
        }
    }
    let size = tree.size();
    let share = if read > 0.0 { packed / read } else { 1.0 };
    // Heads of entries pack to little.
    let heads = tree.things.len() as u64 * 32;
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "an estimate of a positive number; what is too large is cut"
    )]
    let about = (size as f64 * share) as u64;
    Gain {
        size,
        held: tree.held(),
        packed: about.saturating_add(heads),
    }
}
