//! Carrying a manifest out, for the command line and the interface alike.

use jiff::Timestamp;
use jolly_core::decide::ConfirmedManifest;
use jolly_core::rulebook::Search;
use jolly_core::scan::CancelToken;
use jolly_core::sweep::{
    Dustpan, DustpanError, Emptied, Ground, Journal, JournalError, NewDustpan, Pause, Predictions,
    Real, RecoverError, Rehearsed, RoomError, RunSummary, SweepError, SweepEvent, empty_expired,
    find_room, forget_rehearsals, interrupted, recover, rehearse, sweep,
};
use jolly_core::whole_story;
use jolly_disk::RealDisk;

use crate::session::{Session, clock};
use crate::wording::{bytes, counted};

/// A run that has ended.
pub(crate) struct Run {
    /// Its id.
    pub id: String,
    /// The path of its log.
    pub log: String,
    /// How it went.
    pub summary: RunSummary,
}

/// Why a run could not begin; nothing was removed.
#[derive(Debug, thiserror::Error)]
pub(crate) enum RunError {
    /// Its record can't be kept.
    #[error(transparent)]
    Journal(#[from] JournalError),
    /// What it sets aside can't be kept.
    #[error(transparent)]
    Dustpan(#[from] DustpanError),
    /// There is no room for it.
    #[error(transparent)]
    Room(#[from] RoomError),
    /// The sweep refused.
    #[error(transparent)]
    Sweep(#[from] SweepError),
}

/// A run's id: when it started, and which process it was.
fn run_id(started: Timestamp) -> String {
    format!(
        "{}-{}",
        started.strftime("%Y%m%d-%H%M%S-%3f"),
        std::process::id()
    )
}

impl Session {
    /// Empties the dustpans whose date is past; what can't be emptied stays.
    pub(crate) fn empty_expired(&self) -> Vec<Emptied> {
        let now = self.now.unwrap_or_else(clock);
        empty_expired(&self.state, &RealDisk, now).unwrap_or_default()
    }

    /// Settles what broke off on this computer, and empties what is past its date; says what it did.
    pub(crate) fn look_after(&self) -> Vec<String> {
        let mut notes = Vec::new();
        for run in interrupted(&self.state, &self.identity) {
            let settled = recover(&self.state, &run, &self.target, clock());
            notes.push(match settled {
                Ok(log) => {
                    let sum = |stays: bool| {
                        let outcomes = log.outcomes.iter();
                        let some = outcomes.filter(|(outcome, _)| outcome.stays() == stays);
                        counted(some.map(|(_, sum)| sum.items).sum(), "item")
                    };
                    let (went, stayed) = (sum(false), sum(true));
                    format!("Run {run} broke off and is settled now: {went} went, {stayed} stayed.")
                }
                Err(RecoverError::UnderWay { .. }) => continue,
                Err(error) => format!("Run {run} broke off: {}", whole_story(&error)),
            });
        }
        for emptied in self.empty_expired() {
            let (run, freed) = (emptied.run, bytes(emptied.freed));
            notes.push(format!(
                "The dustpan of {run} was past its date and is empty now: {freed}."
            ));
        }
        notes
    }

    fn ground<'a>(&'a self, searches: &'a [Search]) -> Ground<'a> {
        Ground {
            target: &self.target,
            rules: &self.rules,
            searches,
            own: &self.own,
        }
    }

    /// Makes every check of a sweep, removes nothing, and keeps what it predicts.
    pub(crate) fn rehearse(
        &self,
        searches: &[Search],
        manifest: &ConfirmedManifest,
        sink: &dyn Fn(SweepEvent),
    ) -> Result<Rehearsed, RunError> {
        let never = CancelToken::default();
        let ground = self.ground(searches);
        let started = clock();
        let id = run_id(started);
        let mut journal = Journal::of_rehearsal(&self.state, &id)?;
        let record = Some((id.as_str(), started, &mut journal));
        let rehearsed = rehearse(&ground, manifest, record, &never, &clock, sink)?;
        // Those that can't be thrown away lie there for longer.
        drop(forget_rehearsals(&self.state, &RealDisk));
        Ok(rehearsed)
    }

    /// Sweeps, with a journal and, where something is set aside, a dustpan of its own.
    pub(crate) fn sweep(
        &self,
        searches: &[Search],
        manifest: &ConfirmedManifest,
        predictions: Option<&Predictions>,
        (cancel, pause): (&CancelToken, &Pause),
        sink: &dyn Fn(SweepEvent),
    ) -> Result<Run, RunError> {
        let started = clock();
        let id = run_id(started);
        let mut journal = Journal::create(&self.state, &id)?;
        let room = find_room(&self.state, &self.target, manifest.manifest())?;
        let mut dustpan = match &room {
            None => None,
            Some(room) => {
                let new = NewDustpan {
                    run: &id,
                    started,
                    target: &self.target,
                    folder: room.folder.as_deref(),
                };
                Some(Dustpan::create(&self.state, &new)?)
            }
        };
        let log = journal.path().display().to_string();
        let real = Real {
            run: &id,
            journal: &mut journal,
            dustpan: dustpan.as_mut(),
            started,
            pause: pause.clone(),
            predictions,
        };
        let ground = self.ground(searches);
        let mut summary = sweep(&ground, manifest, real, cancel, &clock, sink)?;
        if let Some(Err(error)) = dustpan.as_mut().map(Dustpan::finish) {
            summary.broke_off.get_or_insert(whole_story(&error));
        }
        Ok(Run { id, log, summary })
    }
}
