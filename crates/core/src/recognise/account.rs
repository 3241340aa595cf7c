//! Accounts that nobody uses any more.

use jiff::Timestamp;

use crate::recognise::{Finding, Reason};
use crate::rulebook::{Rule, Search};
use crate::target::Target;

/// How long an account must lie unused when its rule names no age, in seconds: a year.
const UNUSED: u64 = 365 * 86_400;

/// Whether the account that a rule looks in has long not been used. The administrator's never
/// counts, nor one whose last use isn't known.
pub(super) fn look(target: &Target, rule: &Rule, search: &Search, now: Timestamp) -> Finding {
    let account = search.account.and_then(|at| target.accounts.get(at));
    let Some(account) = account else {
        return Finding::Not;
    };
    let Some(used) = account.last_used else {
        return Finding::Not;
    };
    let unused = u64::try_from(now.as_second().saturating_sub(used)).unwrap_or(0);
    let limit = rule
        .age
        .limit
        .map_or(UNUSED, crate::rulebook::AgeLimit::as_seconds);
    if account.name != "root" && unused >= limit {
        Finding::Is(Reason::AccountUnused)
    } else {
        Finding::Not
    }
}
