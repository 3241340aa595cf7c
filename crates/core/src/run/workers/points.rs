//! The removal of restore points: the file system itself lets go of them.

use std::ffi::CStr;
use std::io;
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{TargetPath, delete_point, settle_volume};
use crate::plan::{ItemOutcome, ManifestItem, Outcome};
use crate::run::workers::remove::Remover;

/// What a keeper of restore points writes beside one, or beside several of one moment.
const NOTES: [&CStr; 2] = [c"info.xml", c"info.json"];

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
                Ok(point) => {
                    let told = delete_point(target, point.number);
                    self.point_went(item, told.err())
                }
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

    /// What became of one by what lies there now: a tool that didn't answer may have done it.
    fn point_went(&mut self, item: &ManifestItem, error: Option<io::Error>) -> ItemOutcome {
        let disk = self.checker.disk();
        let looked = match self.checker.parent(&item.path) {
            Ok(folder) => disk.stat(folder, item.path.as_name()),
            Err(outcome) => return outcome,
        };
        let is_gone = looked.is_err_and(|error| error.kind() == io::ErrorKind::NotFound);
        if !is_gone {
            let error = error.unwrap_or_else(|| io::Error::other("it is there still"));
            return ItemOutcome::of_error(&error, "let go of");
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
        match left_in(disk, folder) {
            FolderRest::Nothing => {}
            FolderRest::Note(note) if disk.unlink(folder, note).is_ok() => {}
            FolderRest::Note(_) | FolderRest::Other => return,
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

/// What is left in a folder that a restore point lay in.
enum FolderRest {
    Nothing,
    /// A keeper's note, and nothing else.
    Note(&'static CStr),
    /// Something that stays, or that can't be known.
    Other,
}

fn left_in(disk: &dyn Disk, folder: &Folder) -> FolderRest {
    let mut left = FolderRest::Nothing;
    let listed = disk.list(folder, &mut |entry| {
        let note = NOTES.into_iter().find(|note| *note == entry.name);
        let note = note.filter(|note| {
            let stat = disk.stat(folder, note);
            stat.is_ok_and(|stat| stat.kind == Kind::File)
        });
        left = match (&left, note) {
            (FolderRest::Nothing, Some(note)) => FolderRest::Note(note),
            _ => FolderRest::Other,
        };
        match left {
            FolderRest::Other => ControlFlow::Break(()),
            FolderRest::Nothing | FolderRest::Note(_) => ControlFlow::Continue(()),
        }
    });
    listed.map_or(FolderRest::Other, |()| left)
}
