//! The threads that touch the target. They go from one batch to the next without waiting for each
//! other; how many there are is found out by trying.

pub(crate) mod batch;
mod list;
pub(super) mod overwrite;
mod pace;
pub(crate) mod pause;
mod points;
pub(crate) mod quarantine;
mod remove;
mod share;
pub(crate) mod unit;

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::thread::{self, Builder, Scope};
use std::time::{Duration, Instant};

use crossbeam_channel::{Receiver, Sender, unbounded};
use jolly_disk::{WaitMeter, WaitShare};

use crate::plan::item_outcome::ItemOutcome;
use crate::run::workers::batch::{Part, Touch, Work};
use crate::run::workers::pace::{Pace, Window};

/// Most threads, where the device is what is waited for.
const MOST: usize = 16;

/// How often a thread tells what it has done, where the device is slow, and how much of that it waited.
const TOLD: Duration = Duration::from_millis(20);

/// Some items of one batch, for one thread.
struct Job {
    work: Arc<Work>,
    part: Part,
}

/// What became of a job, or of a part of it.
pub(crate) struct WorkNews {
    /// The number of its batch's first item.
    pub batch: usize,
    /// By position in the batch; what a stop kept from being reached is not among them.
    pub done: Vec<(usize, ItemOutcome)>,
    /// Whether this is all of the job.
    pub is_last: bool,
    wait_share: Option<WaitShare>,
    panic: Option<Box<dyn Any + Send>>,
}

/// The giving end of the threads; they end with it.
pub(crate) struct WorkerPool<'scope, 'env> {
    scope: &'scope Scope<'scope, 'env>,
    touch: &'scope Touch<'scope>,
    jobs: Sender<Job>,
    waiting: Receiver<Job>,
    tell: Sender<WorkNews>,
    news: Receiver<WorkNews>,
    /// How many were begun.
    many: usize,
    pace: Pace,
    turns: Arc<Turns>,
    /// Since their number was last thought about.
    began: Instant,
    window: Window,
}

/// How many of the threads may take a job; the others wait.
#[derive(Default)]
struct Turns {
    many: Mutex<usize>,
    changed: Condvar,
}

impl Turns {
    fn let_work(&self, many: usize) {
        *self.many.lock().unwrap_or_else(PoisonError::into_inner) = many;
        self.changed.notify_all();
    }

    /// Waits until a thread, by its number, may take a job.
    fn wait(&self, number: usize) {
        let many = self.many.lock().unwrap_or_else(PoisonError::into_inner);
        let may_go = self.changed.wait_while(many, |many| number >= *many);
        drop(may_go.unwrap_or_else(PoisonError::into_inner));
    }
}

/// Those that wait for their turn have to hear that nobody gives any more.
impl Drop for WorkerPool<'_, '_> {
    fn drop(&mut self) {
        self.turns.let_work(usize::MAX);
    }
}

impl<'scope, 'env> WorkerPool<'scope, 'env> {
    /// As many threads as there are processors, and at least two.
    pub(crate) fn begin(scope: &'scope Scope<'scope, 'env>, touch: &'scope Touch<'scope>) -> Self {
        let (jobs, waiting) = unbounded();
        let (tell, news) = unbounded();
        let processors = thread::available_parallelism().map_or(2, std::num::NonZero::get);
        let pace = Pace::new(processors.clamp(2, MOST), MOST);
        let mut pool = Self {
            scope,
            touch,
            jobs,
            waiting,
            tell,
            news,
            many: 0,
            pace,
            turns: Arc::default(),
            began: Instant::now(),
            window: Window::default(),
        };
        pool.keep_pace();
        pool
    }

    /// Lets as many work as are quickest, as far as is known. Where threads are short, those there are do.
    fn keep_pace(&mut self) {
        self.turns.let_work(self.pace.many());
        while self.many < self.pace.many() {
            let (touch, waiting) = (self.touch, self.waiting.clone());
            let (tell, turns) = (self.tell.clone(), Arc::clone(&self.turns));
            let number = self.many;
            let run = move || work(touch, (&waiting, &turns, number), &tell);
            if self.many == 0 {
                self.scope.spawn(run);
            } else if Builder::new().spawn_scoped(self.scope, run).is_err() {
                return;
            }
            self.many += 1;
        }
    }

    /// Gives a batch to them, as so many jobs.
    pub(crate) fn give(&self, work: &Arc<Work>) -> usize {
        let parts = work.parts();
        let many = parts.len();
        for part in parts {
            let work = Arc::clone(work);
            // They listen until this end is gone.
            let _gone = self.jobs.send(Job { work, part }).is_err();
        }
        many
    }

    /// Waits for the next piece of news; nothing when there is nobody to tell any.
    ///
    /// # Panics
    /// When the thread that did the job has.
    pub(crate) fn news(&mut self) -> Option<WorkNews> {
        let mut news = self.news.recv().ok()?;
        if let Some(panic) = news.panic.take() {
            resume_unwind(panic);
        }
        self.learn(&news);
        Some(news)
    }

    fn learn(&mut self, news: &WorkNews) {
        self.window.items += news.done.len() as u64;
        if let Some(share) = news.wait_share {
            self.window.worked += share.took;
            self.window.waited += share.waited;
        }
        self.window.took = self.began.elapsed();
        if self.pace.learn(self.window) {
            (self.began, self.window) = (Instant::now(), Window::default());
            self.keep_pace();
        }
    }
}

/// One thread: takes job after job until nobody gives any more.
fn work(
    touch: &Touch<'_>,
    (waiting, turns, number): (&Receiver<Job>, &Turns, usize),
    tell: &Sender<WorkNews>,
) {
    let mut last = None;
    let mut meter = WaitMeter::begin();
    loop {
        turns.wait(number);
        let Ok(Job { work, part }) = waiting.recv() else {
            return;
        };
        let batch = work.batch.first;
        // A folder that was opened for the batch before may have been swapped since.
        let mut remover = match last.take() {
            Some((of, remover)) if of == batch => remover,
            _ => touch.remover(batch),
        };
        let mut free = match &part {
            Part::Free(range) => work.free(range.clone()).iter(),
            Part::List(_) => [].iter(),
        };
        let mut is_last = false;
        while !is_last {
            let mut done = Vec::with_capacity(free.len());
            // Who holds the sweep wants to see what it has come to.
            let mut is_told_early = false;
            let part = AssertUnwindSafe(|| {
                meter.measure(TOLD, || {
                    if let Part::List(list) = part {
                        done.extend(touch.list(&mut remover, &work, list));
                        return false;
                    }
                    if touch.pause.is_held() && !done.is_empty() {
                        is_told_early = true;
                        return false;
                    }
                    let at = free.next();
                    let one = at.and_then(|at| Some((*at, touch.one(&mut remover, &work, *at)?)));
                    let is_more = one.is_some();
                    done.extend(one);
                    is_more
                })
            });
            let touched = catch_unwind(part);
            if touched.is_err() {
                touch.halt.cancel();
            }
            let is_more = touched
                .as_ref()
                .is_ok_and(|is_more| *is_more || is_told_early);
            is_last = !is_more;
            let news = WorkNews {
                batch,
                done,
                is_last,
                wait_share: meter.take(TOLD),
                panic: touched.err(),
            };
            if tell.send(news).is_err() {
                return;
            }
        }
        last = Some((batch, remover));
    }
}
