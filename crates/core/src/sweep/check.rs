//! Everything that is asked of one item right before it goes.

use std::collections::HashMap;
use std::io;

use jiff::Timestamp;
use jolly_disk::{Disk, FileKey, Folder, Kind, Stat};

use crate::decide::{EntryKind, ManifestItem};
use crate::recognise::{Candidate, Finding, Recogniser};
use crate::rulebook::Fit;
use crate::sweep::overwrite::overwrite;
use crate::sweep::{Ground, Outcome, last_guard};
use crate::target::{InUse, TargetPath};

/// Why an item stays, or what became of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Verdict {
    pub outcome: Outcome,
    pub bytes: u64,
    pub reason: String,
}

impl Verdict {
    pub(super) fn stays(outcome: Outcome, reason: impl Into<String>) -> Self {
        Self {
            outcome,
            bytes: 0,
            reason: reason.into(),
        }
    }

    /// What the kernel's refusal means for an item.
    pub(super) fn of_error(error: &io::Error, verb: &str) -> Self {
        let (outcome, reason) = match error.kind() {
            io::ErrorKind::NotFound => (Outcome::Gone, "it went by itself".to_owned()),
            io::ErrorKind::PermissionDenied => (
                Outcome::Denied,
                format!("the system doesn't let us {verb} it"),
            ),
            io::ErrorKind::ReadOnlyFilesystem => {
                (Outcome::Denied, "the volume is read-only".to_owned())
            }
            io::ErrorKind::ResourceBusy | io::ErrorKind::ExecutableFileBusy => {
                (Outcome::InUse, "the system holds it".to_owned())
            }
            io::ErrorKind::DirectoryNotEmpty => {
                (Outcome::Refused, "something that stays is in it".to_owned())
            }
            io::ErrorKind::NotADirectory
            | io::ErrorKind::IsADirectory
            | io::ErrorKind::CrossesDevices => {
                (Outcome::Changed, "something else took its place".to_owned())
            }
            _ if error.raw_os_error() == Some(40) => (
                Outcome::Changed,
                "a link took the place of a folder on its way".to_owned(),
            ),
            _ => (Outcome::Failed, format!("cannot {verb} it: {error}")),
        };
        Self::stays(outcome, reason)
    }
}

/// The open folder that items are removed through, kept while items of one folder follow each
/// other.
pub(super) struct Parent {
    path: TargetPath,
    opened: Result<Folder, Verdict>,
}

/// How long a look at the open files of all programs counts, in milliseconds: it takes some ten
/// milliseconds on a desktop, as long as a small batch itself.
const FRESH_MS: u64 = 500;

/// Checks items of one run.
pub(super) struct Checker<'a> {
    ground: &'a Ground<'a>,
    in_use: InUse,
    /// When that was last looked at.
    looked: Option<Timestamp>,
    /// How many names of a file this run has removed, for files with several.
    own_links: HashMap<FileKey, u32>,
    parent: Option<Parent>,
    recogniser: Recogniser<'a>,
}

impl<'a> Checker<'a> {
    pub(super) fn new(ground: &'a Ground<'a>, now: Timestamp) -> Self {
        Self {
            ground,
            in_use: InUse::default(),
            looked: None,
            own_links: HashMap::new(),
            parent: None,
            recogniser: Recogniser::new(ground.target, now),
        }
    }

    /// Begins a batch: looks again who holds what, unless that was just done.
    pub(super) fn begin_batch(&mut self, now: Timestamp) {
        let is_fresh = self.looked.is_some_and(|looked| {
            now.as_millisecond().abs_diff(looked.as_millisecond()) < FRESH_MS
        });
        if !is_fresh {
            self.in_use = InUse::read();
            self.looked = Some(now);
        }
        // A folder opened for the batch before may have been swapped since.
        self.parent = None;
        self.recogniser.forget();
    }

    fn disk(&self) -> &'a dyn Disk {
        &**self.ground.target.disk()
    }

    /// The open folder that holds a path.
    pub(super) fn parent(&mut self, path: &TargetPath) -> Result<&Folder, Verdict> {
        let wanted = path.parent().unwrap_or_default();
        let parent = match self.parent.take() {
            Some(parent) if parent.path == wanted => parent,
            _ => {
                let opened = self
                    .disk()
                    .open_folder(self.ground.target.root(), wanted.as_bytes())
                    .map_err(|error| Verdict::of_error(&error, "open the folder of"));
                Parent {
                    path: wanted,
                    opened,
                }
            }
        };
        self.parent
            .insert(parent)
            .opened
            .as_ref()
            .map_err(Clone::clone)
    }

    /// Asks everything; the fresh look when the item may go.
    ///
    /// # Safety argument
    /// The look goes through the open parent that the removal will go through, compares identity,
    /// and only then come guards and holders; whatever changes afterwards inside that parent can
    /// only lose a name that its changer put there.
    pub(super) fn check(&mut self, item: &ManifestItem) -> Result<Stat, Verdict> {
        let stat = self.check_for_storing(item)?;
        if let Some(after) = &item.after
            && self.exists(after)
        {
            let reason = "what it describes is still there";
            return Err(Verdict::stays(Outcome::Refused, reason));
        }
        Ok(stat)
    }

    /// Asks everything but whether what must go before it has gone: bytes may be stored earlier.
    pub(super) fn check_for_storing(&mut self, item: &ManifestItem) -> Result<Stat, Verdict> {
        let disk = self.disk();
        let own_links = self.own_links.get(&item.identity.key).copied().unwrap_or(0);
        let name = item.path.to_name();
        let stat = {
            let folder = self.parent(&item.path)?;
            disk.stat(folder, &name)
                .map_err(|error| Verdict::of_error(&error, "look at"))?
        };
        if !item.identity.holds(item.kind, &stat, own_links) {
            return Err(Verdict::stays(
                Outcome::Changed,
                "it is no longer what was shown",
            ));
        }
        self.guard(item, &stat)?;
        if let Some(holder) = self.in_use.holder(stat.key) {
            return Err(Verdict::stays(Outcome::InUse, format!("open in {holder}")));
        }
        Ok(stat)
    }

    /// The guards' second look, and the rule's: the path must still be the named rule's.
    fn guard(&mut self, item: &ManifestItem, stat: &Stat) -> Result<(), Verdict> {
        let refuse = |reason: &str| Err(Verdict::stays(Outcome::Refused, reason));
        let ground = self.ground;
        let Some(number) = ground.rules.by_id(&item.rule) else {
            return refuse("its rule is not in force");
        };
        let rule = ground.rules.rule(number);
        let mut searches = ground
            .searches
            .iter()
            .filter(|search| search.rule == number);
        let search = searches.find(|search| match item.path.below(&search.root) {
            None | Some(b"") => false,
            Some(below) if item.kind == EntryKind::Folder => rule.may_empty(below),
            Some(below) => rule.fit(below) == Fit::Takes,
        });
        let Some(search) = search else {
            return refuse("its rule doesn't look there");
        };
        if let Some(reason) = last_guard::refusal(ground.target, ground.own, &rule.rule, &item.path)
        {
            return refuse(reason);
        }
        let asked = rule.rule.detect.filter(|detect| detect.looks_inside());
        if let Some(detect) = asked
            && item.kind != EntryKind::Folder
        {
            self.parent(&item.path)?;
            let Some(Ok(folder)) = self.parent.as_ref().map(|parent| parent.opened.as_ref()) else {
                return refuse("its folder can't be opened");
            };
            let candidate = Candidate {
                search,
                path: &item.path,
                folder,
                name: &item.path.to_name(),
                kind: stat.kind,
            };
            if !matches!(
                self.recogniser.look(&rule.rule, detect, &candidate),
                Finding::Is(_)
            ) {
                let reason = "it is no longer what its rule looks for";
                return Err(Verdict::stays(Outcome::Changed, reason));
            }
        }
        Ok(())
    }

    fn exists(&self, path: &TargetPath) -> bool {
        let disk = self.disk();
        let folder = path.parent().unwrap_or_default();
        let looked = disk
            .open_folder(self.ground.target.root(), folder.as_bytes())
            .and_then(|folder| disk.stat(&folder, &path.to_name()));
        // What can't be looked at counts as still there.
        !matches!(looked, Err(error) if error.kind() == io::ErrorKind::NotFound)
    }

    /// Writes over the bytes of one item that `check` let pass, and removes it.
    pub(super) fn overwrite_and_remove(&mut self, item: &ManifestItem, stat: &Stat) -> Verdict {
        if stat.kind == Kind::File {
            let disk = self.disk();
            let name = item.path.to_name();
            let looked = match self.parent(&item.path) {
                Err(verdict) => return verdict,
                Ok(folder) => {
                    overwrite(disk, folder, &name, stat).and_then(|()| disk.stat(folder, &name))
                }
            };
            match looked {
                Err(error) => return Verdict::of_error(&error, "write over"),
                Ok(after) if after.key != stat.key => {
                    let reason = "something else took its place while it was written over";
                    return Verdict::stays(Outcome::Changed, reason);
                }
                Ok(_) => {}
            }
        }
        self.remove(item, stat)
    }

    /// Removes one item that `check` let pass; says what it freed.
    pub(super) fn remove(&mut self, item: &ManifestItem, stat: &Stat) -> Verdict {
        let disk = self.disk();
        let name = item.path.to_name();
        let removed = match self.parent(&item.path) {
            Err(verdict) => return verdict,
            Ok(folder) if stat.kind == Kind::Folder => disk.remove_folder(folder, &name),
            Ok(folder) => disk.unlink(folder, &name),
        };
        if let Err(error) = removed {
            Verdict::of_error(&error, "remove")
        } else {
            if stat.kind != Kind::Folder && item.identity.links > 1 {
                *self.own_links.entry(stat.key).or_default() += 1;
            }
            let is_last = stat.kind != Kind::Folder && stat.links <= 1;
            let bytes = if is_last { stat.allocated } else { 0 };
            Verdict {
                outcome: Outcome::Removed,
                bytes,
                reason: String::new(),
            }
        }
    }
}
