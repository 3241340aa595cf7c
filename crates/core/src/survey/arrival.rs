//! Arriving: which computers are on the bench, what each of them is, and where it hurts.
//!
//! Everything here is a cheap look: it is told when its time is up and says so in its figures.

mod facts;
mod large;
mod pieces;
mod signs;

use std::collections::BTreeSet;
use std::io;

use jiff::Timestamp;

use crate::computer::{Target, TargetPath, Volume};
use crate::host::{VolumeKind, mount_of, volume_kind};
use crate::rule::{Need, RuleSet, resolve};
pub use facts::{Fact, facts};
pub(crate) use pieces::mending_tool;
pub use pieces::{InPieces, count_pieces, files_in_pieces};
pub use signs::{Figure, Sign, signs};

/// What a first look at a computer tells.
#[derive(Clone, Debug)]
pub struct Arrival {
    /// Its volume; none when it can't be measured.
    pub volume: Option<Volume>,
    /// Where it comes from; none when that isn't known.
    pub kind: Option<VolumeKind>,
    /// What it is.
    pub facts: Vec<Fact>,
    /// What shows that it needs care, most telling first.
    pub signs: Vec<Sign>,
    /// How many places of the rules only the administrator may read or sweep.
    pub locked_places: u64,
}

/// Takes a first look. `is_due` says when the time for it is up; what is counted by then stands as
/// a least.
pub fn arrive(
    target: &Target,
    rules: &RuleSet,
    now: Timestamp,
    is_due: &dyn Fn() -> bool,
) -> Arrival {
    let volume = target.measure().ok();
    Arrival {
        kind: mount_of(target.root_path()).map(|mount| volume_kind(&mount)),
        facts: facts(target),
        signs: signs(target, volume, now, is_due),
        locked_places: locked_places(target, rules),
        volume,
    }
}

/// Counts the places that only the administrator may read or sweep: those that can't be opened,
/// and those whose rule needs rights that this process doesn't have.
fn locked_places(target: &Target, rules: &RuleSet) -> u64 {
    let (searches, unresolved) = resolve(target, rules);
    let disk = target.disk();
    let unreadable = unresolved
        .iter()
        .filter(|place| place.error.kind() == io::ErrorKind::PermissionDenied)
        .map(|place| &place.path);
    let unsweepable = searches
        .iter()
        .filter(|search| rules.rule(search.rule).rule.needs == Some(Need::Administrator))
        .map(|search| &search.root)
        .filter(|root| {
            disk.open_folder(target.root(), root.as_bytes())
                .is_ok_and(|folder| !disk.may_change(&folder))
        });
    let places: BTreeSet<&TargetPath> = unreadable.chain(unsweepable).collect();
    places.len() as u64
}
