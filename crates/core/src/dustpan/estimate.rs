//! How small things will pack, from a few samples.

use std::io::Read as _;

use crate::computer::{EntryKind, Target};
use crate::plan::{Manifest, ManifestItem};
use crate::rule::Removal;

/// How many of the biggest are sampled: they decide.
const SAMPLES: usize = 24;

/// Bytes of each.
const PIECE: usize = 256 * 1024;

/// About how many bytes what a manifest sets aside takes in the dustpan; nothing when none of it can
/// be read.
pub fn estimate_packed(target: &Target, manifest: &Manifest) -> Option<u64> {
    let mut whole = 0_u64;
    let mut files: Vec<ManifestItem> = Vec::new();
    manifest.items.each_view(&mut |_, item| {
        let is_packed = item.by() == Removal::SetAside && item.kind() == EntryKind::File;
        if !is_packed || item.size() == 0 {
            return;
        }
        whole = whole.saturating_add(item.size());
        let at = files.partition_point(|bigger| bigger.size >= item.size());
        if at < SAMPLES {
            files.insert(at, item.item());
            files.truncate(SAMPLES);
        }
    });
    let (mut read, mut packed) = (0_f64, 0_f64);
    for item in files {
        let disk = target.disk();
        let opened = disk
            .open_folder(target.root(), item.path.folder_bytes())
            .and_then(|folder| disk.open_file(&folder, item.path.as_name()));
        let mut piece = Vec::new();
        let sample = opened.and_then(|file| file.take(PIECE as u64).read_to_end(&mut piece));
        let small = zstd::bulk::compress(&piece, 1).map(|small| small.len());
        if let (Ok(1..), Ok(small)) = (sample, small) {
            // Each counts as much as it has bytes.
            let weight = item.size as f64;
            read += weight;
            packed += weight * (small as f64 / piece.len() as f64).min(1.0);
        }
    }
    (read > 0.0).then(|| {
        let share = packed / read;
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "an estimate of a positive number; what is too large is cut"
        )]
        let about = (whole as f64 * share) as u64;
        about
    })
}
