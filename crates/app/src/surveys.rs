//! What surveys found that gets piles of its own.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::error_chain;
use jolly_core::plan::Manifest;
use jolly_core::report::{note_of_look, read_look};
use jolly_core::rule::Survey;
use jolly_core::state::{KeptError, read_text, write_whole};
use jolly_core::survey::{
    ChosenCopy, Leftover, MeantTheSame, Space, SpaceBefore, chosen_versions, copies, inventory,
    leftovers, twins_of, versions,
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

/// A look that is not older belongs to the same visit.
const SAME_VISIT: i64 = 12 * 3_600;

/// Holds a look at the space of a computer against the one of its last visit, and keeps it for the next.
pub(crate) fn keep_look(session: &Session, space: &mut Space) -> Result<(), String> {
    let now = session.now.unwrap_or_else(clock);
    let [last, before] = session.state.space_looks(&session.identity);
    let read = |path: &Path| read_text(path).ok().flatten();
    let known = read(&last).and_then(|text| Some((read_look(&text)?, text)));
    let is_of_before = |look: &SpaceBefore| now.as_second() - look.when.as_second() >= SAME_VISIT;
    let kept = || -> Result<(), KeptError> {
        if let Some((_, text)) = known.as_ref().filter(|(look, _)| is_of_before(look)) {
            write_whole(&before, text)?;
        }
        match note_of_look(space, now) {
            Ok(note) => write_whole(&last, &note),
            // What can't be written down can't be held against anything.
            Err(_) => Ok(()),
        }
    };
    let kept = kept().map_err(|error| error_chain(&error));
    space.before = match known {
        Some((look, _)) if is_of_before(&look) => Some(look),
        _ => read(&before).and_then(|text| read_look(&text)),
    };
    kept
}

/// The copies and versions that a list takes, each with another file that stays. They are looked for anew: no list is believed in that.
pub(crate) fn copies_of_list(
    session: &Session,
    manifest: &Manifest,
    cancel: &CancelToken,
) -> Vec<ChosenCopy> {
    let of = |survey: Survey| -> BTreeSet<TargetPath> {
        let rule = survey.rule_id();
        let own = manifest.items.iter().filter(|item| *item.rule == *rule);
        own.map(|item| item.path).collect()
    };
    let (same, other) = (of(Survey::Copies), of(Survey::Versions));
    if same.is_empty() && other.is_empty() {
        return Vec::new();
    }
    let tree = walk_tree(&session.target, &[], cancel, &|_| {});
    let mut chosen = Vec::new();
    if !same.is_empty() {
        let every = MeantTheSame::default();
        let found = copies(&session.target, &tree, (&[], &every), cancel, &|_| {});
        chosen.extend(twins_of(&found, &tree, &same));
    }
    if !other.is_empty() {
        let found = versions(&session.target, &tree, cancel, &|_| {});
        let groups = found.recordings.iter().chain(&found.pictures);
        let files = groups.flat_map(|group| &group.versions).map(|one| one.file);
        let goes = files.filter(|file| other.contains(&tree.file_path(*file)));
        chosen.extend(chosen_versions(&found, &tree, &goes.collect()));
    }
    chosen
}
