//! What to tell the customer after a visit, drawn from what this computer showed.

use jiff::Timestamp;

use crate::pile::Sum;
use crate::plan::Outcome;
use crate::report::{Forecast, LittleFree};
use crate::run::RunSummary;
use crate::survey::Sign;

/// Something to tell the customer, with the figure that it rests on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Advice {
    /// What showed at the first look, and the sweep did nothing about.
    Sign(Sign),
    /// Little is free after all: what is used in percent, and what is free in bytes.
    LittleFree(u64, u64),
    /// What programs hold can go after a restart.
    Restart(Sum),
    /// When less than this will be free again, at so many bytes a week.
    NextVisit(Timestamp, i64, LittleFree),
}

/// What a sweep ended with, beside its sums.
#[derive(Clone, Copy, Debug)]
pub struct SweepEnd<'a> {
    /// When it ended.
    pub now: Timestamp,
    /// Size of the volume, in bytes.
    pub size: u64,
    /// Whether a restart of this computer lets go what is in use: not of a disk on the bench.
    pub is_running: bool,
    /// From where on what is free is little.
    pub little: LittleFree,
    /// What earlier visits tell of how the volume fills.
    pub forecast: Option<&'a Forecast>,
}

/// Draws advice from the signs of the first look and from what the sweep did: a failing disk first, then
/// what follows from the sweep, then what else showed.
pub fn advise(signs: &[Sign], summary: &RunSummary, end: SweepEnd<'_>) -> Vec<Advice> {
    let is_open = |sign: &&Sign| match sign {
        // What is free now counts, not what was.
        Sign::VolumeFull(_) => false,
        // That programs crash isn't mended by removing what they wrote about it.
        Sign::CrashReports(_) => true,
        _ => !is_dealt_with(sign, summary),
    };
    let (failing, others): (Vec<&Sign>, Vec<&Sign>) =
        signs.iter().filter(is_open).partition(|sign| {
            matches!(
                sign,
                Sign::DiskFailing(_) | Sign::DiskErrors(_) | Sign::ReadOnlyByErrors
            )
        });
    let of_sign = |sign: &Sign| Advice::Sign(sign.clone());
    let mut advice: Vec<Advice> = failing.into_iter().map(of_sign).collect();
    let free = summary.free_after;
    if end.size > 0 && free < end.little.of(end.size) {
        let used = u128::from(end.size.saturating_sub(free)) * 100 / u128::from(end.size);
        advice.push(Advice::LittleFree(u64::try_from(used).unwrap_or(100), free));
    }
    let held = summary.sum(Outcome::InUse);
    if end.is_running && held.items > 0 {
        advice.push(Advice::Restart(held));
    }
    advice.extend(next_visit(free, end));
    advice.extend(others.into_iter().map(of_sign));
    advice
}

/// Whether the sweep took of the piles that deal with a sign.
fn is_dealt_with(sign: &Sign, summary: &RunSummary) -> bool {
    let Some((rules, account)) = sign.piles() else {
        return false;
    };
    summary.went_by_rule.iter().any(|went| {
        let is_its_rule = went
            .rule
            .rsplit('/')
            .next()
            .is_some_and(|name| rules.contains(&name));
        let is_theirs = account.is_none() || went.account.as_ref() == account;
        is_its_rule && is_theirs && went.sum.items > 0
    })
}

/// Nothing where visits tell nothing yet, or little is free already.
fn next_visit(free: u64, end: SweepEnd<'_>) -> Option<Advice> {
    let forecast = end.forecast?.at(end.now, free, end.little.of(end.size));
    let falls = forecast.falls.filter(|falls| *falls > end.now)?;
    Some(Advice::NextVisit(falls, forecast.weekly, end.little))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::computer::AccountName;
    use crate::rule::RuleId;
    use crate::run::Went;
    use crate::survey::Figure;

    const WEEK: i64 = 7 * 86_400;

    fn account(name: &str) -> AccountName {
        AccountName::from(name)
    }

    fn at(second: i64) -> Timestamp {
        Timestamp::from_second(second).unwrap()
    }

    fn end(size: u64, forecast: Option<&Forecast>) -> SweepEnd<'_> {
        SweepEnd {
            now: at(0),
            size,
            is_running: true,
            little: LittleFree::default(),
            forecast,
        }
    }

    #[test]
    fn what_was_swept_is_no_advice_any_more_and_a_failing_disk_comes_first() {
        let trash = |name: &str| Sign::Trash(account(name), Figure::default(), None);
        let signs = [
            Sign::VolumeFull(96),
            trash("pia"),
            trash("joss"),
            Sign::CrashReports(Figure::default()),
            Sign::DiskErrors(3),
            Sign::StartsAtSignIn(7),
        ];
        let sum = Sum { items: 1, bytes: 8 };
        let rule = |name: &str| RuleId::from(name);
        let summary = RunSummary {
            went_by_rule: [("linux/trash", "pia"), ("linux/program-dumps", "joss")]
                .map(|(id, whose)| Went {
                    rule: rule(id),
                    account: Some(account(whose)),
                    sum,
                })
                .into(),
            outcomes: [(Outcome::InUse, sum)].into(),
            free_after: 40,
            ..RunSummary::default()
        };
        let told = advise(&signs, &summary, end(1000, None));
        let wanted = [
            Advice::Sign(Sign::DiskErrors(3)),
            Advice::LittleFree(96, 40),
            Advice::Restart(sum),
            Advice::Sign(trash("joss")),
            Advice::Sign(Sign::CrashReports(Figure::default())),
            Advice::Sign(Sign::StartsAtSignIn(7)),
        ];
        assert_eq!(told, wanted);
        // What a machine on the bench holds isn't mended by restarting the technician's.
        let bench = SweepEnd {
            is_running: false,
            ..end(1000, None)
        };
        assert!(!advise(&signs, &summary, bench).contains(&Advice::Restart(sum)));
    }

    #[test]
    fn the_next_visit_is_reckoned_from_what_is_free_after_the_sweep() {
        // Reckoned at arrival with 110 free, a week before little is free; the sweep gave back 90 more.
        let forecast = Forecast {
            intervals: 2,
            over: 20 * WEEK,
            weekly: 10,
            falls: Some(at(WEEK)),
        };
        let free = |free_after| RunSummary {
            free_after,
            ..RunSummary::default()
        };
        let told = advise(&[], &free(200), end(1000, Some(&forecast)));
        assert_eq!(told, [Advice::NextVisit(at(10 * WEEK), 10, LittleFree(10))]);
        // Where little is free already there is no date to name, nor where the volume empties.
        let low = advise(&[], &free(90), end(1000, Some(&forecast)));
        assert_eq!(low, [Advice::LittleFree(91, 90)]);
        let empties = Forecast {
            weekly: -4,
            falls: None,
            ..forecast
        };
        assert_eq!(advise(&[], &free(200), end(1000, Some(&empties))), []);
    }
}
