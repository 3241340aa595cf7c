//! Entries that go back into their list, which may have changed since.

use std::collections::{HashMap, HashSet};
use std::io::{self, Read, Write as _};
use std::os::fd::AsFd as _;
use std::sync::Arc;

use jolly_disk::{Folder, Metadata, Stat};

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::dustpan::entry::{ArchiveEntry, Body};
use crate::dustpan::put_back::{PutBack, missing, refused};
use crate::dustpan::staging::{PART, Staging};
use crate::dustpan::{PanItem, ReplaceError, Replaced, RestoreOutcome, replace, settle_log};
use crate::host::InUse;
use crate::rule::{ListFormat, RecordSet};
use crate::source::Fingerprint;
use crate::source::holder::address::table_of;
use crate::source::holder::{self, Holder, HolderError, MOST_BYTES, Refused, Wanted, WrittenLog};

/// Entries of one list that wait to go back.
pub(super) struct GatheredEntries {
    list: ListFormat,
    /// Whose the list was, and its mode.
    metadata: Metadata,
    entries: Vec<GatheredEntry>,
}

struct GatheredEntry {
    /// Its number in the dustpan.
    number: usize,
    name: Vec<u8>,
    exported: Vec<u8>,
}

impl GatheredEntries {
    /// The tables of the rows among them.
    fn tables(&self) -> Vec<Arc<RecordSet>> {
        let mut sets: Vec<Arc<RecordSet>> = Vec::new();
        for table in self.entries.iter().filter_map(|one| table_of(&one.name)) {
            if !sets.iter().any(|known| known.table == table) {
                sets.push(RecordSet::all_of(table));
            }
        }
        sets
    }
}

/// A holder as it is by now; a new one where there is none.
struct HolderNow {
    seen: Option<Stat>,
    log: Option<WrittenLog>,
    holder: Box<dyn Holder>,
}

fn left_alone(error: &HolderError) -> RestoreOutcome {
    RestoreOutcome::Failed(format!("what holds it stays as it is: {error}"))
}

/// What became of entries, by their numbers in the dustpan.
type EntryOutcomes = Vec<(usize, RestoreOutcome)>;

impl PutBack<'_> {
    /// Reads an entry out of the dustpan, to go back with all others of its list; the outcome where it can't.
    ///
    /// # Errors
    /// When its bytes can't be read: the dustpan is damaged.
    pub(crate) fn gather_entry(
        &mut self,
        (entry, list): (&ArchiveEntry, ListFormat),
        item: &PanItem,
        number: usize,
        bytes: &mut dyn Read,
    ) -> io::Result<Option<RestoreOutcome>> {
        if entry.path != item.path.as_bytes() {
            return Err(io::Error::from(io::ErrorKind::InvalidData));
        }
        // Nothing that is read has a longer one.
        let Body::File(size @ ..=MOST_BYTES) = entry.body else {
            return Ok(Some(RestoreOutcome::Damaged));
        };
        let mut exported = Vec::new();
        bytes.take(size).read_to_end(&mut exported)?;
        let mut hasher = entry.hasher();
        hasher.update(&exported);
        let is_whole = hasher.finalize().to_hex().as_str() == item.hash;
        let Some(path) = item.path.parent().filter(|_| is_whole) else {
            return Ok(Some(RestoreOutcome::Damaged));
        };
        let of_list = self.entries.entry(path);
        let of_list = of_list.or_insert_with(|| GatheredEntries {
            list,
            metadata: entry.metadata.clone(),
            entries: Vec::new(),
        });
        of_list.entries.push(GatheredEntry {
            number,
            name: item.path.name().to_vec(),
            exported,
        });
        Ok(None)
    }

    /// Puts all gathered entries into their lists.
    pub(crate) fn put_entries(&mut self) -> EntryOutcomes {
        let lists = std::mem::take(&mut self.entries);
        let mut outcomes = Vec::new();
        for (path, gathered) in lists {
            if self.cancel.is_cancelled() {
                break;
            }
            let put = self.put_into_list(&path, &gathered);
            outcomes.extend(put.unwrap_or_else(|outcome| {
                let entries = gathered.entries.iter();
                entries.map(|one| (one.number, outcome.clone())).collect()
            }));
        }
        outcomes
    }

    /// Puts entries into their list; outside what became of all of them.
    fn put_into_list(
        &mut self,
        path: &TargetPath,
        gathered: &GatheredEntries,
    ) -> Result<EntryOutcomes, RestoreOutcome> {
        let folder = (self.parent(path, &gathered.metadata)).map_err(|error| refused(&error))?;
        let mut now = self.list_now(&folder, path, gathered)?;
        let items = || now.holder.items().iter();
        let there: HashMap<&[u8], Fingerprint> = items()
            .map(|item| (&item.name[..], item.fingerprint))
            .collect();
        let known: HashSet<Fingerprint> = items().map(|item| item.fingerprint).collect();
        // A row whose number something else has by now comes back under another one.
        let is_row = gathered.list == ListFormat::Rows;
        let mut outcomes = Vec::new();
        let (mut numbers, mut lacking) = (Vec::new(), Vec::new());
        for one in &gathered.entries {
            let fingerprint = now.holder.fingerprint_of(&one.exported);
            match there.get(&one.name[..]).filter(|_| !is_row) {
                // A restore that died may have brought it back already.
                Some(known) if fingerprint == Some(*known) => {
                    outcomes.push((one.number, RestoreOutcome::There));
                }
                None if is_row && fingerprint.is_some_and(|it| known.contains(&it)) => {
                    outcomes.push((one.number, RestoreOutcome::There));
                }
                Some(_) => outcomes.push((one.number, RestoreOutcome::Exists)),
                None => {
                    numbers.push(one.number);
                    lacking.push(one.exported.clone());
                }
            }
        }
        let Some(first) = numbers.first() else {
            return Ok(outcomes);
        };
        let (outcome, refused) = match now.holder.with(&lacking) {
            Err(error) => (left_alone(&error), Refused::new()),
            Ok((_, refused)) if refused.len() == lacking.len() => (RestoreOutcome::Exists, refused),
            Ok((bytes, refused)) => {
                let place = (&folder, path);
                let put = self.write_list(place, (&bytes, *first), &now, &gathered.metadata);
                (put, refused)
            }
        };
        for (at, number) in numbers.into_iter().enumerate() {
            let outcome = if refused.contains(&at) {
                RestoreOutcome::Exists
            } else {
                outcome.clone()
            };
            outcomes.push((number, outcome));
        }
        Ok(outcomes)
    }

    /// The list as it is by now, and a look at it; one without entries where there is none.
    fn list_now(
        &self,
        folder: &Folder,
        path: &TargetPath,
        gathered: &GatheredEntries,
    ) -> Result<HolderNow, RestoreOutcome> {
        let sets = gathered.tables();
        let wanted = Wanted::of(gathered.list, &sets);
        let never = CancelToken::default();
        match holder::read(self.target, (folder, path.as_name()), wanted, &never) {
            Ok(read) => {
                let in_use = InUse::read();
                if let Some(program) = in_use.user_of(read.stat.key) {
                    let why = format!("{} has it open; close that first", program.program);
                    return Err(RestoreOutcome::Failed(why));
                }
                Ok(HolderNow {
                    seen: Some(read.stat),
                    log: read.log,
                    holder: read.holder,
                })
            }
            Err(HolderError::Read(error)) if error.kind() == io::ErrorKind::NotFound => {
                let blank = holder::blank(gathered.list);
                Ok(HolderNow {
                    seen: None,
                    log: None,
                    holder: blank.map_err(|error| left_alone(&error))?,
                })
            }
            Err(HolderError::Read(error)) => Err(refused(&error)),
            Err(error) => Err(left_alone(&error)),
        }
    }

    /// Writes a list in the place of the one that was seen, or a new one where there was none.
    fn write_list(
        &self,
        (folder, path): (&Folder, &TargetPath),
        (bytes, number): (&[u8], usize),
        now: &HolderNow,
        metadata: &Metadata,
    ) -> RestoreOutcome {
        let (disk, name, of) = (self.disk(), path.as_name(), (self.run, number));
        if let Some(seen) = &now.seen {
            let replace_it = || {
                let mut list = Replaced {
                    disk,
                    folder,
                    name,
                    seen,
                    is_live: self.target.is_live,
                };
                let settled;
                if let Some(log) = &now.log {
                    settled = settle_log(&list, log, of)?;
                    list.seen = &settled;
                }
                replace(&list, bytes, of)
            };
            return match replace_it() {
                Ok(()) => RestoreOutcome::There,
                Err(ReplaceError::Disk(error)) => refused(&error),
                Err(error) => RestoreOutcome::Failed(format!("of its list: {error}")),
            };
        }
        let made = Staging::open(disk, folder, of).and_then(|staging| {
            let mut file = disk.make_file(staging.folder(), PART)?;
            file.write_all(bytes)?;
            let lacks = disk.apply_metadata(file.as_fd(), metadata);
            file.sync_all()?;
            staging.publish(name)?;
            Ok(missing(&lacks))
        });
        match made {
            Ok(None) => RestoreOutcome::There,
            Ok(Some(lacks)) => RestoreOutcome::RestoredPartly(lacks),
            Err(error) => refused(&error),
        }
    }
}
