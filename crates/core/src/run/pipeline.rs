//! Going through a manifest, batch after batch: each is touched only when its intents are on the disk and
//! what it sets aside is in the dustpan, and nobody waits for another batch to end.

pub(crate) mod packer;
pub(crate) mod recorder;
mod safety_copier;

use std::collections::VecDeque;
use std::sync::Arc;
use std::thread;

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::plan::Manifest;
use crate::plan::item_outcome::ItemOutcome;
use crate::run::check::Shared;
use crate::run::pipeline::packer::{Packer, Stored, stayed};
use crate::run::pipeline::recorder::{Batch, Recorder, outcomes};
use crate::run::tally::Tally;
use crate::run::workers::batch::{Batches, Touch, Work};
use crate::run::workers::quarantine::Quarantine;
use crate::run::workers::unit::look_at_units;
use crate::run::workers::{WorkNews, WorkerPool};
use crate::run::{Real, RunContext};
use crate::state::JournalError;

/// How many batches are touched at once: while what has to wait for others is touched in one, there is
/// work in the next.
const UNDER_WAY: usize = 2;

/// How many more have their intents written and what they set aside packed: one that is proven, and one
/// that is written; so a disk that is slow once keeps nobody waiting.
const AHEAD: usize = 2;

/// A batch that is being touched.
struct UnderWay {
    work: Arc<Work>,
    /// Jobs that aren't done.
    jobs: usize,
    verdicts: Vec<Option<ItemOutcome>>,
    /// Positions of what stays and isn't counted yet: where it lies shows when its folder is given back.
    uncounted: Vec<usize>,
}

/// Touches batch after batch.
///
/// # Errors
/// When the journal can't be written; then nothing more was touched.
pub(crate) fn run<'a>(
    context: &RunContext<'_>,
    manifest: &'a Manifest,
    real: &'a mut Real<'_>,
    stop: &CancelToken,
    clock: &dyn Fn() -> Timestamp,
    tally: &mut Tally<'_>,
) -> Result<(), JournalError> {
    let shared = Shared::new(context, manifest, stop);
    shared.begin_batch(clock());
    look_at_units(&shared, manifest, stop);
    let quarantine = Quarantine::of(context, manifest, real.run);
    let touch = Touch {
        shared: &shared,
        quarantine: &quarantine,
        run: real.run,
        stop,
        pause: &real.pause,
        halt: CancelToken::default(),
    };
    let (journal, dustpan) = (&mut *real.journal, &mut real.dustpan);
    thread::scope(|scope| {
        let packer = dustpan
            .as_deref_mut()
            .map(|dustpan| Packer::begin(scope, &shared, (dustpan, real.run), (stop, &real.pause)));
        let mut pipeline = Pipeline {
            shared: &shared,
            touch: &touch,
            clock,
            batches: Batches::of(&manifest.items),
            recorder: Recorder::begin(scope, journal, touch.halt.clone()),
            packer,
            ahead: VecDeque::new(),
            is_recorded: false,
            under_way: VecDeque::new(),
            tally,
        };
        pipeline.go(&mut WorkerPool::begin(scope, &touch));
        // Of batches that never came to their end.
        quarantine.give_back(&shared.away, None);
        quarantine.close();
        pipeline.tally.note_compacted(shared.compacted());
        if let Some(packer) = pipeline.packer {
            packer.end();
        }
        pipeline.recorder.end()
    })
}

struct Pipeline<'r, 'scope, 'a, 't> {
    shared: &'r Shared<'r>,
    touch: &'r Touch<'r>,
    clock: &'r dyn Fn() -> Timestamp,
    batches: Batches<'a>,
    recorder: Recorder<'scope>,
    packer: Option<Packer>,
    /// Batches that were ordered to be written and packed, and not given to the workers yet.
    ahead: VecDeque<Batch>,
    /// Whether the intents of the next one are on the disk.
    is_recorded: bool,
    under_way: VecDeque<UnderWay>,
    tally: &'r mut Tally<'t>,
}

impl Pipeline<'_, '_, '_, '_> {
    fn go(&mut self, pool: &mut WorkerPool<'_, '_>) {
        loop {
            // While something is touched, nobody waits for what is next: what became of it is told first.
            while self.under_way.len() < UNDER_WAY {
                let may_wait = self.under_way.is_empty();
                if !self.give(pool, may_wait) {
                    break;
                }
            }
            let Some(first) = self.under_way.pop_front_if(|first| first.jobs == 0) else {
                if self.under_way.is_empty() {
                    return;
                }
                let Some(news) = pool.news() else { return };
                let mut batches = self.under_way.iter_mut();
                let its = batches.find(|batch| batch.work.batch.first == news.batch);
                if let Some(batch) = its {
                    batch.account_for(news, self.shared, self.tally);
                }
                if self.touch.pause.is_held() {
                    self.tally.tell(String::new());
                }
                continue;
            };
            self.end(first);
        }
    }

    /// Has the intents of batches ahead written, and what they set aside packed.
    fn prepare(&mut self) {
        while self.ahead.len() <= AHEAD {
            let Some(batch) = self.batches.next() else {
                return;
            };
            self.recorder.intend(batch.clone());
            if let Some(packer) = &self.packer {
                packer.pack(batch.clone());
            }
            self.ahead.push_back(batch);
        }
    }

    /// Gives the next batch to the workers, when it may be touched; says whether it did.
    fn give(&mut self, pool: &WorkerPool<'_, '_>, may_wait: bool) -> bool {
        self.prepare();
        if self.ahead.is_empty() {
            return false;
        }
        if self.touch.stop.is_cancelled() {
            return false;
        }
        self.is_recorded = self.is_recorded || self.recorder.is_on_disk(may_wait);
        if !self.is_recorded {
            return false;
        }
        let stored = match &self.packer {
            None => Stored::default(),
            Some(packer) => match packer.packed(may_wait) {
                Some(stored) => stored,
                None => return false,
            },
        };
        self.is_recorded = false;
        let Some(batch) = self.ahead.pop_front() else {
            return false;
        };
        self.prepare();
        self.shared.begin_batch((self.clock)());
        let many = batch.items.len();
        let work = Arc::new(Work::new(batch, stored));
        let jobs = pool.give(&work);
        self.under_way.push_back(UnderWay {
            verdicts: vec![None; many],
            uncounted: Vec::new(),
            work,
            jobs,
        });
        true
    }

    /// Gives back the folders of a batch in which something stays, and counts that.
    fn give_back(&mut self, batch: &mut UnderWay) {
        let first = batch.work.batch.first;
        let (quarantine, away) = (self.touch.quarantine, &self.shared.away);
        for (folder, place) in quarantine.give_back(away, Some(first)) {
            batch.note_where_it_lies(&folder, &place);
        }
        for at in std::mem::take(&mut batch.uncounted) {
            batch.count(at, self.tally);
        }
    }

    /// Touches what had to wait in a batch, and has its outcomes written.
    fn end(&mut self, mut batch: UnderWay) {
        let work = Arc::clone(&batch.work);
        let mut remover = self.touch.remover(work.batch.first);
        for at in &work.bound {
            if let Some(verdict) = self.touch.bound(&mut remover, &work, *at) {
                batch.note(*at, verdict, self.shared, self.tally);
            }
        }
        self.give_back(&mut batch);
        if let Some(packer) = &self.packer {
            let verdict = |at: usize| batch.verdicts.get(at).and_then(Option::as_ref);
            packer.note_stayed(stayed(&work.stored, &verdict));
        }
        self.recorder.record(outcomes(&work.batch, &batch.verdicts));
    }
}

impl UnderWay {
    /// What stayed in a folder that couldn't go back lies where that lies.
    fn note_where_it_lies(&mut self, folder: &[u8], place: &str) {
        let items = self.work.batch.items.iter();
        for (item, verdict) in items.zip(&mut self.verdicts) {
            let is_in_it = item.path.folder_bytes() == folder || item.path.as_bytes() == folder;
            let stays = verdict.as_mut().filter(|it| is_in_it && it.outcome.stays());
            if let Some(verdict) = stays {
                verdict.lies(place);
            }
        }
    }

    fn account_for(&mut self, news: WorkNews, shared: &Shared<'_>, tally: &mut Tally<'_>) {
        self.jobs -= usize::from(news.is_last);
        for (at, verdict) in news.done {
            self.note(at, verdict, shared, tally);
        }
    }

    fn note(
        &mut self,
        at: usize,
        verdict: ItemOutcome,
        shared: &Shared<'_>,
        tally: &mut Tally<'_>,
    ) {
        let Some(item) = self.work.batch.items.get(at) else {
            return;
        };
        let may_lie_elsewhere = verdict.outcome.stays() && shared.away.concerns(&item.path);
        if let Some(place) = self.verdicts.get_mut(at) {
            *place = Some(verdict);
        }
        if may_lie_elsewhere {
            self.uncounted.push(at);
        } else {
            self.count(at, tally);
        }
    }

    fn count(&self, at: usize, tally: &mut Tally<'_>) {
        let batch = &self.work.batch;
        let verdict = self.verdicts.get(at).and_then(Option::as_ref);
        if let (Some(item), Some(verdict)) = (batch.items.get(at), verdict) {
            tally.count(batch.first + at, item, verdict);
        }
    }
}
