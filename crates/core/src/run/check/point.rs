//! Everything that is asked of a restore point right before it goes.

use std::io;

use crate::computer::{RestorePoint, TargetPath, listed_points, number_of, open_part};
use crate::plan::{ItemOutcome, ManifestItem, StayReason};
use crate::rule::{Family, Removal};
use crate::run::check::{Checker, SeenItem};
use crate::source::{Fingerprint, HolderItem};

/// What was tried where it failed.
pub(crate) const VERB: &str = "look at the restore points of";

impl Checker<'_> {
    /// Asks everything of a restore point; it as it is now, when it may go.
    ///
    /// # Safety argument
    /// What goes is told by its number on the volume, which no other part of it ever has: whatever takes its name
    /// meanwhile stays.
    pub(crate) fn check_point(&mut self, item: &ManifestItem) -> Result<RestorePoint, ItemOutcome> {
        let stays = |reason: StayReason| Err(ItemOutcome::stays(reason));
        if item.by != Removal::Remove {
            return stays(StayReason::WayNotAllowed);
        }
        let shared = self.shared;
        let (target, cancel) = (shared.context.target, shared.cancel());
        let failed = |error: &io::Error| ItemOutcome::of_error(error, VERB);
        let stat = {
            let disk = self.disk();
            let folder = self.parent(&item.path)?;
            let seen = disk.stat(folder, item.path.as_name());
            seen.map_err(|error| ItemOutcome::of_error(&error, "look at"))?
        };
        let points = listed_points(target, cancel).map_err(|error| failed(&error))?;
        let Some(point) = points.iter().find(|point| is_it(point, item)) else {
            return stays(StayReason::NotWhatWasShown);
        };
        let number = open_part(target, &item.path).and_then(|part| number_of(&part, cancel));
        if number.map_err(|error| failed(&error))? != point.number {
            return stays(StayReason::NotWhatWasShown);
        }
        if self.is_among_newest(item, point, &points) {
            return stays(StayReason::AmongNewest);
        }
        let entry = HolderItem {
            name: item.path.name().to_vec(),
            time: Some(point.made),
            size: item.size,
            fingerprint: Fingerprint::of(point.uuid.as_bytes()),
            leads_to: Vec::new(),
            set: None,
            reference: None,
        };
        self.guard(&SeenItem {
            item,
            path: &item.path,
            name: item.path.as_name(),
            stat: &stat,
            is_read: false,
            entry: Some(&entry),
        })?;
        if holds_a_place(target.places.roots(), &item.path) {
            return stays(StayReason::Guarded("a place of this system lies in it"));
        }
        Ok(point.clone())
    }

    /// Whether its rule keeps it, as one of the newest that were made from its source.
    fn is_among_newest(
        &self,
        item: &ManifestItem,
        point: &RestorePoint,
        points: &[RestorePoint],
    ) -> bool {
        let rules = self.shared.context.rules;
        let rule = rules
            .by_id(&item.rule)
            .map(|number| &rules.rule(number).rule);
        let keep = rule.and_then(|rule| rule.keep_newest);
        // A rule for restore points that keeps none can't be written.
        keep.is_none_or(|keep| {
            keep.per != Family::Source || point.is_among_newest(points, keep.count)
        })
    }
}

/// Whether a restore point is the one that was shown, and nothing was written to it since.
fn is_it(point: &RestorePoint, item: &ManifestItem) -> bool {
    let shown = item.entry.map(|entry| entry.entry);
    shown == Some(Fingerprint::of(point.uuid.as_bytes()))
        && point.path == item.path
        && point.number == item.identity.key.inode
        && point.generation.cast_signed() == item.identity.changed.seconds
}

fn holds_a_place<'p>(mut roots: impl Iterator<Item = &'p TargetPath>, path: &TargetPath) -> bool {
    roots.any(|root| root == path || root.below(path).is_some())
}
