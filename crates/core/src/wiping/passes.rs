//! All passes over a surface, and the reading back of the last one.

use std::io;

use jolly_disk::{Piece, Surface};

use crate::error_chain;
use crate::wiping::pass::{Pass, Passed};
use crate::wiping::pattern::Pattern;
use crate::wiping::record::Recorded;
use crate::wiping::{WipeEnd, WipeProgress, WipeState, Wiping};

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
