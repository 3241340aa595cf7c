//! Accounts that nobody uses any more.

use std::ffi::CString;
use std::ops::ControlFlow;
use std::sync::{Arc, OnceLock};

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
        let limit = rule.age.limit.map_or(UNUSED, AgeLimit::as_seconds);
        let is_unused = |used: i64| {
            let unused = u64::try_from(now.as_second().saturating_sub(used)).unwrap_or(0);
            unused >= limit
        };
        let Some((number, account)) =
            (search.account).and_then(|at| Some((at, target.accounts.get(at)?)))
        else {
            return false;
        };
        // Most homes are told to be used by a few files that change at every signing in.
        account.name != "root"
            && account.last_used.is_some_and(is_unused)
            && self
                .last_used(target, number, cancel)
                .is_some_and(is_unused)
    }
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
