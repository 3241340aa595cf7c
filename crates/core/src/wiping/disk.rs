//! A whole disk or image that can be pulled out.

use std::io;
use std::path::{Path, PathBuf};

use jolly_disk::{Piece, open_whole, pieces};

use crate::host::{Tool, VolumeKind, WholeDisk, whole_disk};
use crate::run::caveat_at;
use crate::wiping::passes::go_over;
use crate::wiping::record::{Recorded, Subject};
use crate::wiping::{WipeEnd, WipeError, WipeState, Wiping};

impl WholeDisk {
    /// What writing over it can't promise.
    pub fn wipe_caveats(&self) -> Vec<String> {
        let mut told = Vec::new();
        if self.kind == VolumeKind::Image {
            let caveat = if is_device(&self.path) {
                Some("the disk below may hold older bytes")
            } else {
                caveat_at(&self.path)
            };
            told.extend(caveat.map(|caveat| format!("where the image lies, {caveat}")));
            told.push("copies of the image that lie elsewhere stay".to_owned());
        } else if self.is_rotating != Some(true) {
            let words = "a stick or flash disk keeps spare blocks that nobody can write to from here: older bytes may stay in \
                         them; where that matters, use the erase command of its maker, or destroy it";
            told.push(words.to_owned());
        } else {
            told.push("sectors that the disk replaced by itself keep what they held".to_owned());
        }
        told
    }
}

/// Writes over all of a disk or image, reads it back, and records it. `word` is what was typed to say that it is the one, as
/// [`WholeDisk::word`] has it.
///
/// # Errors
/// When it isn't the disk that was named, it may not be wiped, or the record can't be begun; nothing was written then.
pub fn wipe_disk(
    work: &Wiping<'_>,
    (path, word): (&Path, &str),
) -> Result<(WipeEnd, PathBuf), WipeError> {
    let disk = whole_disk(path)?;
    if word != disk.word() {
        return Err(WipeError::OtherWord {
            path: disk.path.clone(),
            word: disk.word(),
        });
    }
    let failed = |verb| {
        let path = disk.path.clone();
        move |source| WipeError::Disk { path, verb, source }
    };
    let mut file = open_whole(&disk.path).map_err(failed("opened"))?;
    if !disk.is_still(&file) {
        let source = io::Error::new(io::ErrorKind::NotFound, "it is another one by now");
        return Err(failed("opened")(source));
    }
    let all = match disk.kind {
        // A hole holds nothing, and writing there would take room.
        VolumeKind::Image if file.metadata().is_ok_and(|facts| facts.is_file()) => {
            pieces(&file, disk.size).map_err(failed("read"))?
        }
        _ => vec![Piece {
            at: 0,
            len: disk.size,
        }],
    };
    let told = disk.wipe_caveats();
    let mut record = Recorded::begin(work, &Subject::of(&disk, &told))?;
    let len: u64 = all.iter().map(|piece| piece.len).sum();
    let mut end = go_over(work, (&mut file, &all, len), &mut record);
    end.holes = disk.size.saturating_sub(len);
    if end.state == WipeState::Finished && end.written + end.refused < len {
        end.state = WipeState::Failed;
        let why = "it took less than its size: there was no room for more";
        why.clone_into(&mut end.reason);
    }
    drop(file);
    read_parts_again(&disk.path);
    let log = record.end((work.clock)(), &end)?;
    Ok((end, log))
}

fn is_device(path: &Path) -> bool {
    let facts = std::fs::metadata(path).map(|facts| facts.file_type());
    facts.is_ok_and(|kind| std::os::unix::fs::FileTypeExt::is_block_device(&kind))
}

/// Has the kernel forget the parts that the disk had.
fn read_parts_again(path: &Path) {
    if is_device(path) {
        let words = ["--rereadpt", &*path.to_string_lossy()];
        let tool = Tool::at(&["/usr/sbin/blockdev", "/sbin/blockdev"], &words);
        // Without it they are listed until the disk is pulled.
        drop(tool.map(|tool| tool.ask()));
    }
}
