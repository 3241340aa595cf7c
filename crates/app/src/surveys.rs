//! What surveys found that gets piles of its own.

use std::collections::BTreeSet;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::plan::Manifest;
use jolly_core::rule::Survey;
use jolly_core::survey::{
    ChosenCopy, Leftover, MeantTheSame, copies, inventory, leftovers, twins_of,
};
use jolly_core::walk::walk_tree;

use crate::session::{Session, clock};

/// What a scan is told to look for beside the rules.
#[derive(Clone, Default)]
pub(crate) struct SurveyFinds {
    pub leftovers: Arc<[Leftover]>,
    pub copies: Arc<[ChosenCopy]>,
}

impl From<Arc<[Leftover]>> for SurveyFinds {
    fn from(leftovers: Arc<[Leftover]>) -> Self {
        Self {
            leftovers,
            copies: Arc::default(),
        }
    }
}

impl Session {
    /// Looks for what programs that are gone left behind, and waits until it is done.
    pub(crate) fn leftovers(&self, cancel: &CancelToken) -> Arc<[Leftover]> {
        let now = self.now.unwrap_or_else(clock);
        let belongs = self.belongs_now();
        let mut inventory = inventory(&self.target, &belongs, cancel);
        inventory.removed_here = self.removed_here();
        leftovers(&self.target, (&inventory, &belongs), now, cancel).into()
    }
}

/// The copies that a list takes, each with another file that stays. They are looked for anew: no list is believed in that.
pub(crate) fn copies_of_list(
    session: &Session,
    manifest: &Manifest,
    cancel: &CancelToken,
) -> Vec<ChosenCopy> {
    let of_copies = Survey::Copies.rule_id();
    let items = manifest.items.iter();
    let goes = items.filter(|item| *item.rule == *of_copies);
    let goes: BTreeSet<TargetPath> = goes.map(|item| item.path).collect();
    if goes.is_empty() {
        return Vec::new();
    }
    let tree = walk_tree(&session.target, &[], cancel, &|_| {});
    let every = MeantTheSame::default();
    let found = copies(&session.target, &tree, (&[], &every), cancel, &|_| {});
    twins_of(&found, &tree, &goes)
}
