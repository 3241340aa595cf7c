//! A whole disk or image that can be pulled out.

use std::io;
use std::path::{Path, PathBuf};

use jolly_disk::{Piece, Surface, open_whole, pieces};

use crate::error_chain;
use crate::host::{Tool, VolumeKind, WholeDisk, whole_disk};
use crate::run::caveat_at;
use crate::wiping::pass::{Pass, Passed};
use crate::wiping::pattern::Pattern;
use crate::wiping::record::{Recorded, Subject};
use crate::wiping::{WipeEnd, WipeError, WipeProgress, WipeState, Wiping};

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

/// Bytes that are written before they are read back: a volume that is being filled must not stay full while all of it is read.
const SEGMENT: u64 = 256 << 20;

/// Writes over pieces, of so many bytes about, as often as it is wanted, and reads back what the last pass wrote.
pub(super) fn go_over(
    work: &Wiping<'_>,
    (surface, pieces, of): (&mut dyn Surface, &[Piece], u64),
    record: &mut Recorded,
) -> WipeEnd {
    let passes = work.passes.max(1);
    let mut ended = Ok((Passed::default(), Passed::default()));
    for pass in 1..=passes {
        if pass > 1 {
            surface.start_over();
        }
        let progress = WipeProgress {
            pass,
            passes,
            written: 0,
            read: 0,
            of,
        };
        ended = one_pass(work, (&mut *surface, pieces), record, progress);
        let goes_on = ended
            .as_ref()
            .is_ok_and(|(written, read)| !written.is_cut && !read.is_cut);
        if !goes_on {
            break;
        }
    }
    let (written, read) = ended.as_ref().copied().unwrap_or_default();
    let mut end = WipeEnd::of(written, read);
    (end.state, end.reason) = match ended {
        Err(error) => (WipeState::Failed, error_chain(&error)),
        Ok(_) if work.cancel.is_cancelled() => (WipeState::Stopped, String::new()),
        Ok(_) if written.is_cut || read.is_cut => (
            WipeState::Failed,
            "the disk refuses one piece after the other: it was pulled out, or is broken"
                .to_owned(),
        ),
        Ok(_) => (WipeState::Finished, String::new()),
    };
    end
}

/// One pass: what it wrote, and, of the last one, what was read back of that.
fn one_pass(
    work: &Wiping<'_>,
    (surface, pieces): (&mut dyn Surface, &[Piece]),
    record: &mut Recorded,
    begins: WipeProgress,
) -> io::Result<(Passed, Passed)> {
    let mut pattern = Pattern::new(work.fill)?;
    let (mut written, mut read) = (Passed::default(), Passed::default());
    let mut heard = |progress: WipeProgress| {
        (work.heard)(progress);
        record.reached(progress);
    };
    for segment in segments(pieces) {
        let before = (
            written.done + written.refused,
            read.done + read.refused + read.differs,
        );
        let mut tell = |wrote: u64, got: u64| {
            heard(WipeProgress {
                written: before.0 + wrote,
                read: before.1 + got,
                ..begins
            });
        };
        let mut pass = Pass {
            surface: &mut *surface,
            pattern: &mut pattern,
            cancel: work.cancel,
            pause: work.pause,
            heard: &mut |done| tell(done, 0),
        };
        let wrote = pass.write(&[segment])?;
        written.add(wrote);
        let len = wrote.done + wrote.refused;
        if begins.pass == begins.passes && !written.is_cut {
            let mut pass = Pass {
                surface: &mut *surface,
                pattern: &mut pattern,
                cancel: work.cancel,
                pause: work.pause,
                heard: &mut |done| tell(len, done),
            };
            read.add(pass.verify(&[Piece { len, ..segment }]));
        }
        if written.is_cut || written.is_full || read.is_cut {
            break;
        }
    }
    Ok((written, read))
}

/// Pieces cut into what is written before it is read back.
fn segments(pieces: &[Piece]) -> impl Iterator<Item = Piece> {
    pieces.iter().flat_map(|piece| {
        let end = piece.at.saturating_add(piece.len);
        let step = usize::try_from(SEGMENT).unwrap_or(usize::MAX);
        (piece.at..end).step_by(step).map(move |at| Piece {
            at,
            len: SEGMENT.min(end - at),
        })
    })
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
