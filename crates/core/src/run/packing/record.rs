//! The record of a run that packs, unpacks or rescues one thing.

use jolly_disk::{Kind, Stat};

use crate::computer::{TargetPath, WrittenPath};
use crate::error_chain;
use crate::packing::PackError;
use crate::plan::{Outcome, TargetMark};
use crate::rule::Removal;
use crate::run::log::record::{Done, FORMAT, Intent, Record, VERSION};
use crate::run::packing::Packing;
use crate::state::Journal;

/// The record of a run that packs or unpacks one thing.
pub(super) struct Recorded {
    journal: Journal,
    by: Removal,
}

impl Recorded {
    pub(super) fn begin(
        work: &Packing<'_>,
        rule: &str,
        path: &TargetPath,
        (stat, bytes, by): (&Stat, u64, Removal),
    ) -> Result<Self, PackError> {
        let mut journal = Journal::create(work.state, work.run)?;
        let target = work.target;
        let mark = TargetMark::of(target);
        journal.write(&Record::Start {
            format: FORMAT.to_owned(),
            version: VERSION,
            run: work.run.clone(),
            started: (work.clock)(),
            target: mark.root,
            identity: target.identity().as_str().to_owned(),
            device: target.key().device,
            inode: target.key().inode,
            layout: target.layout.name().to_owned(),
            label: mark.label,
            free: target.measure().map_or(0, |volume| volume.free),
            items: 1,
            bytes,
            partial: false,
            manifest: String::new(),
            rehearsal: None,
        })?;
        let name = TargetPath::new(path.name()).unwrap_or_default();
        let kind = if stat.kind == Kind::Folder {
            "folder"
        } else {
            "file"
        };
        let account = target
            .accounts
            .iter()
            .find(|one| path.below(&one.home).is_some());
        journal.write(&Record::Intend {
            folder: WrittenPath::from(&path.parent().unwrap_or_default()),
            rule: rule.into(),
            account: account.map(|account| account.name.clone()),
            by,
            first: 0,
            device: stat.key.device,
            items: vec![Intent {
                n: 0,
                kind: kind.to_owned(),
                name: WrittenPath::from(&name),
                bytes,
                device: stat.key.device,
                inode: stat.key.inode,
                size: stat.size,
                changed: (stat.changed.seconds, stat.changed.nanos),
                entry: None,
            }],
        })?;
        journal.sync()?;
        Ok(Self { journal, by })
    }

    pub(super) fn end(
        &mut self,
        work: &Packing<'_>,
        said: Result<(u64, String), &PackError>,
    ) -> Result<(), PackError> {
        let is_stopped = matches!(said, Err(PackError::Stopped));
        let (outcome, bytes, reason) = match said {
            Ok((bytes, reason)) => (Outcome::of(self.by), bytes, reason),
            Err(PackError::Changed { .. }) => {
                (Outcome::Changed, 0, "it changed meanwhile".to_owned())
            }
            Err(PackError::Stopped) => (Outcome::Refused, 0, "it was stopped".to_owned()),
            Err(error) => (Outcome::Failed, 0, error_chain(error)),
        };
        self.journal.write(&Record::Done {
            items: vec![Done {
                n: 0,
                many: 1,
                outcome,
                bytes: Some(bytes),
                reason,
            }],
        })?;
        self.journal.write(&Record::Finish {
            state: if is_stopped { "stopped" } else { "finished" }.to_owned(),
            ended: (work.clock)(),
            free: work.target.measure().map_or(0, |volume| volume.free),
            stayed: None,
        })?;
        Ok(self.journal.sync()?)
    }
}
