//! Threads that share work: each keeps what it finds to do for itself and gives away only what
//! somebody waits for.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// What the threads share.
pub(crate) struct WorkQueue<J> {
    shared: Mutex<QueueState<J>>,
    work: Condvar,
    end: Condvar,
    /// How many wait for work that isn't there.
    hungry: AtomicUsize,
}

struct QueueState<J> {
    jobs: Vec<J>,
    workers: usize,
    idle: usize,
    is_over: bool,
}

impl<J> WorkQueue<J> {
    /// A queue for so many workers, with its first jobs.
    pub(crate) fn new(workers: usize, jobs: Vec<J>) -> Self {
        Self {
            shared: Mutex::new(QueueState {
                jobs,
                workers,
                idle: 0,
                is_over: false,
            }),
            work: Condvar::new(),
            end: Condvar::new(),
            hungry: AtomicUsize::new(0),
        }
    }

    fn lock(&self) -> MutexGuard<'_, QueueState<J>> {
        self.shared.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn end_if_idle(&self, shared: &mut QueueState<J>) {
        if shared.workers == 0 || (shared.jobs.is_empty() && shared.idle >= shared.workers) {
            shared.is_over = true;
            self.work.notify_all();
            self.end.notify_all();
        }
        let hungry = shared.idle.saturating_sub(shared.jobs.len());
        self.hungry.store(hungry, Ordering::Relaxed);
    }

    /// Whether somebody waits for work.
    pub(crate) fn has_idle(&self) -> bool {
        self.hungry.load(Ordering::Relaxed) > 0
    }

    /// Gives jobs away.
    pub(crate) fn push(&self, jobs: impl Iterator<Item = J>) {
        let mut shared = self.lock();
        let before = shared.jobs.len();
        shared.jobs.extend(jobs);
        for _ in before..shared.jobs.len() {
            self.work.notify_one();
        }
        self.end_if_idle(&mut shared);
    }

    /// Waits for a job; nothing once all is done.
    pub(crate) fn next(&self) -> Option<J> {
        let mut shared = self.lock();
        if shared.jobs.is_empty() && !shared.is_over {
            shared.idle += 1;
            self.end_if_idle(&mut shared);
            while shared.jobs.is_empty() && !shared.is_over {
                shared = (self.work.wait(shared)).unwrap_or_else(PoisonError::into_inner);
            }
            shared.idle -= 1;
        }
        let job = shared.jobs.pop();
        if !shared.is_over {
            self.end_if_idle(&mut shared);
        }
        job
    }

    /// Waits until all is done, or for so long; says whether it is done.
    fn is_over_within(&self, most: Duration) -> bool {
        let shared = self.lock();
        if shared.is_over {
            return true;
        }
        let (shared, _) =
            (self.end.wait_timeout(shared, most)).unwrap_or_else(PoisonError::into_inner);
        shared.is_over
    }
}

impl<J: Send> WorkQueue<J> {
    /// Has its workers work on threads of their own until nothing is left, and gathers what each gives; each is told its number,
    /// from 0 on. `meanwhile` is called every so often. Where threads are short fewer work; at worst this one alone, and then
    /// nothing is called.
    pub(crate) fn run<R: Send>(
        &self,
        every: Duration,
        work: &(dyn Fn(usize) -> R + Sync),
        meanwhile: &mut dyn FnMut(),
    ) -> Vec<R> {
        let workers = self.lock().workers;
        let work = |number: usize| {
            let _guard = WorkerGuard(self);
            work(number)
        };
        std::thread::scope(|scope| {
            let (mut threads, mut own) = (Vec::new(), None);
            for number in 0..workers {
                match std::thread::Builder::new().spawn_scoped(scope, move || work(number)) {
                    Ok(thread) => threads.push(thread),
                    Err(_) if number + 1 == workers && threads.is_empty() => {
                        own = Some(work(number));
                    }
                    Err(_) => drop(WorkerGuard(self)),
                }
            }
            while !self.is_over_within(every) {
                meanwhile();
            }
            let joined = threads.into_iter().map(|thread| match thread.join() {
                Ok(gathered) => gathered,
                Err(panic) => std::panic::resume_unwind(panic),
            });
            joined.chain(own).collect()
        })
    }
}

/// One worker of a queue. When it is lost, by a panic, nobody waits for it.
struct WorkerGuard<'a, J>(&'a WorkQueue<J>);

impl<J> Drop for WorkerGuard<'_, J> {
    fn drop(&mut self) {
        let mut shared = self.0.lock();
        shared.workers = shared.workers.saturating_sub(1);
        self.0.end_if_idle(&mut shared);
    }
}
