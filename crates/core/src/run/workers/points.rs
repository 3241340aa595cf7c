//! The removal of restore points: the file system itself lets go of them.

use std::ffi::CStr;
use std::ops::ControlFlow;

use jolly_disk::{Folder, Kind};

use crate::computer::{TargetPath, delete_point, settle_volume};
use crate::plan::{ItemOutcome, ManifestItem, Outcome, StayReason};
use crate::run::workers::remove::Remover;

/// What a keeper of restore points writes beside one, or beside several of one moment.
const NOTES: [&CStr; 2] = [c"info.xml", c"info.json"];

/// Most names of a folder that can still be one restore point's own.
const MOST_NAMES: usize = 8;

impl Remover<'_, '_> {
    /// Removes what may go of the restore points of one folder; what became of each. What its keeper wrote beside one
    /// goes with it.
    pub(crate) fn remove_points(
        &mut self,
        items: &[(usize, &ManifestItem)],
    ) -> Vec<(usize, ItemOutcome)> {
        let target = self.checker.shared().context.target;
        let mut outcomes = Vec::with_capacity(items.len());
        for (at, item) in items {
            if self.stop.is_cancelled() {
                break;
            }
            let outcome = match self.checker.check_point(item) {
                Ok(point) => match delete_point(target, point.number) {
                    Ok(()) => self.point_went(item),
                    Err(error) => ItemOutcome::of_error(&error, "let go of"),
                },
                Err(outcome) => outcome,
            };
            outcomes.push((*at, outcome));
        }
        // Without it the space comes back later; what went is gone either way.
        drop(settle_volume(target));
        if let Some((_, item)) = items.first() {
            self.forget_note(&item.path);
        }
        outcomes
    }

    fn point_went(&mut self, item: &ManifestItem) -> ItemOutcome {
        let disk = self.checker.disk();
        let looked = match self.checker.parent(&item.path) {
            Ok(folder) => disk.stat(folder, item.path.as_name()),
            Err(outcome) => return outcome,
        };
        if looked.is_ok() {
            return ItemOutcome::stays(StayReason::Disk {
                verb: "let go of",
                error: "it is there still".to_owned(),
            });
        }
        ItemOutcome {
            outcome: Outcome::Removed,
            bytes: item.bytes,
            reason: None,
            is_as_listed: true,
        }
    }

    /// Removes the folder that a keeper made for one restore point, or those of one moment, when nothing is left in it
    /// but the keeper's note. Whatever fails, the note stays, and describes nothing.
    fn forget_note(&mut self, point: &TargetPath) {
        let disk = self.checker.disk();
        let Some(own) = point.parent().filter(|own| is_keepers(own.name())) else {
            return;
        };
        let Ok(folder) = self.checker.parent(point) else {
            return;
        };
        let Some(note) = note_alone(disk, folder) else {
            return;
        };
        if let Some(note) = note
            && disk.unlink(folder, note).is_err()
        {
            return;
        }
        if let Ok(above) = self.checker.parent(&own) {
            drop(disk.remove_folder(above, own.as_name()));
        }
    }
}

/// Whether a name is what keepers call the folder of one restore point or of one moment: a number, or a date.
fn is_keepers(name: &[u8]) -> bool {
    let is_date = |name: &[u8]| {
        let mut shape = name.iter().zip(b"0000-00-00");
        name.len() >= 10
            && shape.all(|(byte, like)| {
                if *like == b'0' {
                    byte.is_ascii_digit()
                } else {
                    byte == like
                }
            })
    };
    let is_number = !name.is_empty() && name.iter().all(u8::is_ascii_digit);
    is_number || is_date(name)
}

/// The note that is all that a folder holds, if it holds one; nothing when it holds something else.
fn note_alone(disk: &dyn jolly_disk::Disk, folder: &Folder) -> Option<Option<&'static CStr>> {
    let (mut note, mut many, mut is_other) = (None, 0, false);
    let listed = disk.list(folder, &mut |entry| {
        many += 1;
        let known = NOTES.into_iter().find(|known| *known == entry.name);
        is_other |= known.is_none() || note.is_some();
        note = note.or(known);
        if is_other || many > MOST_NAMES {
            ControlFlow::Break(())
        } else {
            ControlFlow::Continue(())
        }
    });
    listed.ok()?;
    let is_file = |name: &CStr| disk.stat(folder, name).is_ok_and(|it| it.kind == Kind::File);
    (!is_other && note.is_none_or(is_file)).then_some(note)
}
