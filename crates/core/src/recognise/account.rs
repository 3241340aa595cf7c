//! Accounts that nobody uses any more.

use jiff::Timestamp;

use crate::recognise::{Finding, Reason};
use crate::rulebook::{Rule, Search};
use crate::target::Target;

/// How long an account must lie unused when its rule names no age, in seconds: a year.
const UNUSED: u64 = 365 * 86_400;

pub(super) fn look(target: &Target, rule: &Rule, search: &Search, now: Timestamp) -> Finding {
    if is_old_account(target, rule, search, now) {
        Finding::Is(Reason::AccountUnused)
    } else {
        Finding::Not
    }
}

/// Whether the account that a rule looks in has long not been used. The administrator's never
/// counts, nor one whose last use isn't known.
pub fn is_old_account(target: &Target, rule: &Rule, search: &Search, now: Timestamp) -> bool {
    let account = search.account.and_then(|at| target.accounts.get(at));
    let Some((account, used)) = account.and_then(|account| Some((account, account.last_used?)))
    else {
        return false;
    };
    let unused = u64::try_from(now.as_second().saturating_sub(used)).unwrap_or(0);
    let limit = rule
        .age
        .limit
        .map_or(UNUSED, crate::rulebook::AgeLimit::as_seconds);
    account.name != "root" && unused >= limit
}
