//! Which folders are walked: the patterns that go on in them, the guards that close them.

use std::sync::Arc;

use jolly_disk::{Folder, Stat};

use crate::computer::TargetPath;
use crate::rule::{FolderGuards, Guards};
use crate::source::context::WalkContext;
use crate::source::files::FolderNote;
use crate::source::files::folder::Worker;
use crate::source::files::job::{Admitted, PendingFolder};
use crate::source::folder_matcher::FolderMatcher;
use crate::source::{may_be_tagged, tag_owner};
use crate::walk::unread;

impl Worker<'_> {
    /// Whether a folder is walked: by which patterns, and past which guards. What is left is counted.
    pub(crate) fn admit(
        &mut self,
        waiting: &PendingFolder,
        path: &TargetPath,
        stat: &Stat,
    ) -> Option<Admitted> {
        let context = self.walk.context;
        let parent = waiting.parent.as_ref();
        // A part of the volume that lies apart, such as a snapshot, is another volume: only what a rule names
        // in it, or leads to that, is walked.
        let is_apart = parent.is_some_and(|parent| parent.device != stat.key.device);
        let matcher = match &waiting.matcher {
            Some(matcher) if !is_apart => Arc::clone(matcher),
            _ => self.matchers.at_start(context.starts_at(path)),
        };
        let leads_on = context.leads_on(path);
        if is_apart {
            self.miss(waiting, unread::apart(stat.key));
            if matcher.states.is_empty() && !leads_on {
                return None;
            }
        }
        let guards = FolderGuards::of(context.guards, parent.map(|parent| parent.guards), path);
        let closed = closed_for(context, &matcher, guards, path);
        let is_shut = !closed.is_empty() && closed.iter().all(|closed| *closed);
        if !leads_on && (is_shut || self.is_of_maildir(waiting, path)) {
            self.leave_guarded(waiting);
            return None;
        }
        if !self.walk.is_new(stat.key) {
            self.miss(waiting, "a folder was moved while it was walked");
            return None;
        }
        Some(Admitted {
            matcher,
            guards,
            closed,
            leads_on,
        })
    }

    /// Who marked a folder as a cache, where a rule asks for that.
    pub(crate) fn own_tag(
        &self,
        matcher: &FolderMatcher,
        (path, folder): (&TargetPath, &Folder),
    ) -> Option<u32> {
        let context = self.walk.context;
        let may_be = matcher.asks_for_tags && may_be_tagged(context.guards, path);
        let disk = &**context.target.disk();
        may_be.then(|| tag_owner(disk, folder)).flatten()
    }

    /// Whether a folder holds the messages of a mail folder.
    fn is_of_maildir(&self, waiting: &PendingFolder, path: &TargetPath) -> bool {
        let may_be = matches!(path.name(), b"cur" | b"new" | b"tmp");
        let Some(parent) = waiting.parent.as_ref().filter(|_| may_be) else {
            return false;
        };
        let context = self.walk.context;
        let holder = context.open_folder(parent.held.as_ref(), &parent.path);
        let disk = &**context.target.disk();
        holder.is_ok_and(|(_, holder)| Guards::is_of_maildir(disk, &holder, path.name()))
    }

    /// Counts a folder in which everything is guarded, and leaves it.
    fn leave_guarded(&mut self, waiting: &PendingFolder) {
        self.gathered.guarded += 1;
        if let Some(parent) = &waiting.parent {
            self.gathered.notes.push(FolderNote {
                guarded: 1,
                ..FolderNote::of(parent.id)
            });
        }
    }
}

/// For each state of a matcher whether everything in the folder is guarded for it; empty when
/// that is so for none.
fn closed_for(
    context: &WalkContext<'_>,
    matcher: &FolderMatcher,
    guards: FolderGuards,
    folder: &TargetPath,
) -> Box<[bool]> {
    if !guards.may_close() {
        return Box::default();
    }
    let is_closed = |search: usize| {
        let rule = &context.rule(search).rule;
        guards.is_closed(context.guards, folder, rule, context.search(search))
    };
    let states = matcher.states.iter();
    states.map(|state| is_closed(state.search)).collect()
}
