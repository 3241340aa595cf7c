//! Accounts that nobody uses any more.

use std::collections::BTreeSet;
use std::ffi::CString;
use std::num::NonZeroUsize;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};
use std::thread::{self, Builder};

use jiff::Timestamp;
use jolly_disk::{Folder, Kind};

use crate::cancel::CancelToken;
use crate::computer::{MOST_DEPTH, Target};
use crate::rule::{AgeBy, AgeLimit, Rule, Search};
use crate::source::time_of_itself;

/// How long an account must lie unused when its rule names no age, in seconds: a year.
const UNUSED: u64 = 365 * 86_400;

/// How old the accounts of a target are: as old as the youngest file in their home, found out for those
/// alone that look unused.
#[derive(Debug)]
pub struct AccountAges {
    youngest: Vec<OnceLock<Option<i64>>>,
}

impl AccountAges {
    /// Nothing is known yet.
    pub fn of(target: &Target) -> Self {
        Self {
            youngest: target.accounts.iter().map(|_| OnceLock::new()).collect(),
        }
    }

    /// When an account was last used, seconds since 1970: when its youngest file came, or when somebody
    /// signed in. Nothing when any of it can't be read.
    pub(crate) fn last_used(
        &self,
        target: &Target,
        account: usize,
        cancel: &CancelToken,
    ) -> Option<i64> {
        let told = target.accounts.get(account)?.last_used?;
        let youngest = self.youngest.get(account)?;
        let youngest = *youngest.get_or_init(|| youngest_file(target, account, cancel));
        Some(told.max(youngest?))
    }

    /// Whether the account that a rule looks in has long not been used. The administrator's never counts,
    /// nor one whose last use isn't known.
    pub fn is_old(
        &self,
        target: &Target,
        rule: &Rule,
        search: &Search,
        (now, cancel): (Timestamp, &CancelToken),
    ) -> bool {
        let Some(number) = looks_old(target, rule, search, now) else {
            return false;
        };
        let used = self.last_used(target, number, cancel);
        used.is_some_and(|used| is_unused(rule, used, now))
    }

    /// Finds out of many accounts at once what [`Self::is_old`] asks of them: of each its home is walked by one thread.
    pub fn look(
        &self,
        target: &Target,
        searches: &[(&Rule, &Search)],
        workers: NonZeroUsize,
        (now, cancel): (Timestamp, &CancelToken),
    ) {
        let doubtful = searches.iter();
        let doubtful = doubtful.filter_map(|(rule, search)| looks_old(target, rule, search, now));
        let doubtful: Vec<usize> = doubtful.collect::<BTreeSet<_>>().into_iter().collect();
        let next = AtomicUsize::new(0);
        let walk = || {
            while let Some(account) = doubtful.get(next.fetch_add(1, Ordering::Relaxed)) {
                self.last_used(target, *account, cancel);
            }
        };
        thread::scope(|scope| {
            // Where threads are short, whoever asks walks what is left.
            for _ in 1..workers.get().min(doubtful.len()) {
                drop(Builder::new().spawn_scoped(scope, walk));
            }
            walk();
        });
    }
}

/// The account that a rule looks in, if it looks unused: most homes are told to be used by a few files that change at
/// every signing in.
fn looks_old(target: &Target, rule: &Rule, search: &Search, now: Timestamp) -> Option<usize> {
    let number = search.account?;
    let account = target.accounts.get(number)?;
    let is_told = account
        .last_used
        .is_some_and(|used| is_unused(rule, used, now));
    (account.name != "root" && is_told).then_some(number)
}

/// Whether what was used last then is unused for so long as a rule asks.
fn is_unused(rule: &Rule, used: i64, now: Timestamp) -> bool {
    let limit = rule.age.limit.map_or(UNUSED, AgeLimit::as_seconds);
    let unused = u64::try_from(now.as_second().saturating_sub(used)).unwrap_or(0);
    unused >= limit
}

/// When the youngest file of a home came; nothing when something in it can't be read, or all is to stop.
fn youngest_file(target: &Target, account: usize, cancel: &CancelToken) -> Option<i64> {
    let home = &target.accounts.get(account)?.home;
    let disk = target.disk();
    let top = disk.open_folder(target.root(), home.as_bytes()).ok()?;
    let device = disk.stat_folder(&top).ok()?.key.device;
    let mut youngest = i64::MIN;
    let mut waiting: Vec<(Arc<Folder>, CString, usize)> =
        vec![(Arc::new(top), CString::default(), 0)];
    while let Some((above, name, depth)) = waiting.pop() {
        if cancel.is_cancelled() || depth > MOST_DEPTH {
            return None;
        }
        let folder = if name.is_empty() {
            above
        } else {
            Arc::new(disk.open_folder(&above, name.to_bytes()).ok()?)
        };
        let mut is_told = true;
        let listed = disk.list(&folder, &mut |entry| {
            let Ok(stat) = disk.stat(&folder, entry.name) else {
                is_told = false;
                return ControlFlow::Break(());
            };
            match stat.kind {
                // What lies on another volume is another home's.
                Kind::Folder if stat.key.device == device && !stat.is_mount => {
                    waiting.push((Arc::clone(&folder), entry.name.to_owned(), depth + 1));
                }
                Kind::Folder | Kind::Other => {}
                Kind::File | Kind::Link => {
                    let time = time_of_itself(AgeBy::Arrived, target.dates, &stat);
                    youngest = youngest.max(time);
                }
            }
            ControlFlow::Continue(())
        });
        listed.ok().filter(|()| is_told)?;
    }
    Some(youngest)
}
