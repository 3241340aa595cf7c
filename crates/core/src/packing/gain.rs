//! What packing would gain, from samples.

use std::io::Read as _;

use crate::packing::tree::{Place, Tree};
use crate::packing::write::LEVEL;

/// How many of the biggest files are sampled: they decide.
const SAMPLES: usize = 32;

/// Bytes of each.
const PIECE: usize = 256 * 1024;

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
    /// Whether it is worth it: a tenth at least, and a block.
    pub fn is_worth_it(&self) -> bool {
        self.held.saturating_sub(self.packed) > (self.held / 10).max(4096)
    }
}

/// Estimates what packing a tree would gain.
pub(crate) fn gain_of(place: Place<'_>, tree: &Tree) -> Gain {
    let mut files: Vec<_> = tree.files().filter(|file| file.stat.size > 0).collect();
    files.sort_by_key(|file| std::cmp::Reverse(file.stat.size));
    let (mut read, mut packed) = (0_f64, 0_f64);
    for file in files.into_iter().take(SAMPLES) {
        let Ok((folder, name)) = place.open_parent(&file.below) else {
            continue;
        };
        let mut piece = Vec::new();
        let opened = place.disk.open_file(&folder, &name);
        let sample = opened.and_then(|file| file.take(PIECE as u64).read_to_end(&mut piece));
        let small = zstd::bulk::compress(&piece, LEVEL).map(|small| small.len());
        if let (Ok(1..), Ok(small)) = (sample, small) {
            // Each counts as much as it has bytes.
            let weight = file.stat.size as f64;
            read += weight;
            packed += weight * (small as f64 / piece.len() as f64).min(1.0);
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
