//! Carrying a manifest out, for the command line and the interface alike.

use jolly_core::computer::{TargetPath, make_point};
use jolly_core::decide::Spared;
use jolly_core::dustpan::{Dustpan, DustpanError, NewDustpan, Pan, RoomError, find_room};
use jolly_core::plan::ConfirmedManifest;
use jolly_core::rule::{RuleNumber, Search};
use jolly_core::run::{
    Pause, Predictions, Real, RecoverError, Rehearsed, RunContext, RunSummary, SweepError,
    SweepEvent, forget_rehearsals, interrupted, recover, rehearse, sweep,
};
use jolly_core::state::{Journal, JournalError, RunId};
use jolly_core::{CancelToken, error_chain};
use jolly_disk::RealDisk;

use crate::session::{Session, clock};
use crate::wording::{bytes, counted};

/// A run that has ended.
pub(crate) struct Run {
    /// Its id.
    pub id: RunId,
    /// The path of its log.
    pub log: String,
    /// How it went.
    pub summary: RunSummary,
    /// The restore point that was made before it.
    pub point: Option<TargetPath>,
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
    /// The restore point that was to be made first couldn't be.
    #[error("no restore point could be made, so nothing was removed")]
    Point {
        /// What the file system's tool said.
        source: std::io::Error,
    },
    /// The sweep refused.
    #[error(transparent)]
    Sweep(#[from] SweepError),
}

/// Where the rules look that made a list, and what was said since; of a list that was just made, nothing.
#[derive(Clone, Copy, Default)]
pub(crate) struct List<'a> {
    /// Where the rules look.
    pub searches: &'a [Search],
    /// What was excluded since.
    pub excluded: &'a [Spared],
    /// Rules that were turned off since.
    pub rules_off: &'a [RuleNumber],
    /// Whether a restore point of the target is made before it is carried out.
    pub makes_point: bool,
}

impl Session {
    /// Settles what broke off on this computer; says what it did, and which dustpans are past their date.
    /// None of these is emptied: no clock decides that the only copy of something goes.
    pub(crate) fn look_after(&self) -> Vec<String> {
        let mut notes = Vec::new();
        for run in interrupted(&self.state, &self.identity) {
            let settled = recover(&self.state, &run, (&self.target, self.same), clock());
            notes.push(match settled {
                Ok(log) => {
                    let sum = |stays: bool| {
                        let outcomes = log.sums.outcomes().iter();
                        let some = outcomes.filter(|(outcome, _)| outcome.stays() == stays);
                        counted(some.map(|(_, sum)| sum.items).sum(), "item")
                    };
                    let (went, stayed) = (sum(false), sum(true));
                    format!("Run {run} broke off and is settled now: {went} went, {stayed} stayed.")
                }
                Err(RecoverError::UnderWay { .. }) => continue,
                Err(error) => format!("Run {run} broke off: {}", error_chain(&error)),
            });
        }
        let now = self.now.unwrap_or_else(clock);
        let pans = Pan::all(&self.state).unwrap_or_default();
        let due = pans
            .into_iter()
            .flatten()
            .filter(|pan| pan.until <= now && pan.is_here());
        let (mut many, mut packed) = (0, 0_u64);
        for pan in due {
            many += 1;
            packed = packed.saturating_add(pan.packed());
        }
        if many > 0 {
            let (many, packed) = (counted(many, "dustpan"), bytes(packed));
            notes.push(format!(
                "{many} past the date, {packed}: `g` or `dustpan list` shows what waits."
            ));
        }
        notes
    }

    fn context<'a>(&'a self, list: &'a List<'_>) -> RunContext<'a> {
        RunContext {
            target: &self.target,
            rules: &self.rules,
            searches: list.searches,
            own: &self.own,
            excluded: list.excluded,
            rules_off: list.rules_off,
        }
    }

    /// Makes every check of a sweep, removes nothing, and keeps what it predicts.
    pub(crate) fn rehearse(
        &self,
        list: &List<'_>,
        manifest: &ConfirmedManifest,
        sink: &dyn Fn(SweepEvent),
    ) -> Result<Rehearsed, RunError> {
        let never = CancelToken::default();
        let context = self.context(list);
        let started = clock();
        let id = RunId::new(started, std::process::id());
        let mut journal = Journal::of_rehearsal(&self.state, &id)?;
        let record = Some((&id, started, &mut journal));
        let rehearsed = rehearse(&context, manifest, record, &never, &clock, sink)?;
        // Those that can't be thrown away lie there for longer.
        drop(forget_rehearsals(&self.state, &RealDisk));
        Ok(rehearsed)
    }

    /// Sweeps, with a journal and, where something is set aside, a dustpan of its own.
    pub(crate) fn sweep(
        &self,
        list: &List<'_>,
        manifest: &ConfirmedManifest,
        predictions: Option<&Predictions>,
        (cancel, pause): (&CancelToken, &Pause),
        sink: &dyn Fn(SweepEvent),
    ) -> Result<Run, RunError> {
        let started = clock();
        let id = RunId::new(started, std::process::id());
        let point = list
            .makes_point
            .then(|| make_point(&self.target, &id))
            .transpose()
            .map_err(|source| RunError::Point { source })?;
        let mut journal = Journal::create(&self.state, &id)?;
        let place = self.dustpan.as_deref();
        let room = find_room(&self.state, &self.target, manifest.manifest(), place)?;
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
            state: &self.state,
            journal: &mut journal,
            dustpan: dustpan.as_mut(),
            started,
            pause: pause.clone(),
            predictions,
        };
        let context = self.context(list);
        let mut summary = sweep(&context, manifest, real, cancel, &clock, sink)?;
        if let Some(Err(error)) = dustpan.as_mut().map(Dustpan::finish) {
            summary.broke_off.get_or_insert(error_chain(&error));
        }
        Ok(Run {
            id,
            log,
            summary,
            point,
        })
    }
}
