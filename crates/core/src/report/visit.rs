//! A visit as a job sheet keeps it: what a scan found, what a run did.

use std::cmp::Reverse;

use jiff::Timestamp;

use crate::decide::{Decisions, PileDecision};
use crate::format::counted;
use crate::pile::{Scan, Sum};
use crate::plan::Outcome;
use crate::report::notices::{Notice, NoticedPile, notices};
use crate::rule::{AgeLimit, Class, Removal, RuleSet};
use crate::run::RunSummary;
use crate::source::PileId;
use crate::state::{
    Allowance, Decided, Kept, Noticed, RunId, Sheet, Told, VisitPile, VisitRun, VisitScan, WentOf,
};

fn kept(sum: Sum) -> Kept {
    Kept {
        items: sum.items,
        bytes: sum.bytes,
    }
}

/// What a scan adds to a visit, with what was decided about it.
pub fn visit_scan(scan: &Scan, decisions: &Decisions) -> VisitScan {
    let piles = decisions.shown(scan).map(|id| {
        let pile = scan.pile(id);
        let rule = scan.rules.rule(pile.rule);
        VisitPile {
            rule: rule.id.to_string(),
            title: rule.rule.title.clone(),
            class: rule.rule.class.name().to_owned(),
            account: scan.account_name(pile).map(str::to_owned),
            found: kept(pile.found()),
            takes: kept(decisions.takes(id)),
            state: decisions.state(scan, id).name().to_owned(),
            bands: pile.bands.to_vec(),
        }
    });
    VisitScan {
        volume: scan.volume,
        is_whole: !scan.is_partial,
        piles: piles.collect(),
    }
}

/// What was decided about each pile, to be remembered for a sweep without a person.
pub fn decided(scan: &Scan, decisions: &Decisions) -> Vec<Decided> {
    let piles = decisions.shown(scan).map(|id| {
        let (pile, decision) = (scan.pile(id), decisions.of(id));
        Decided {
            rule: scan.rules.rule(pile.rule).id.to_string(),
            account: scan.account_name(pile).map(str::to_owned),
            is_taken: decision.is_taken,
            limit: decision.limit.map(|limit| limit.to_string()),
            by: Some(decision.by.name().to_owned()),
        }
    });
    piles.collect()
}

/// Goes on with what was decided before at the same visit, as one step; says about how many piles that was
/// otherwise than they start. What a survey found is looked at anew, and what can't be read decides nothing.
pub fn take_up(scan: &Scan, decisions: &mut Decisions, decided: &[Decided]) -> usize {
    let mut wanted = Vec::new();
    for id in decisions.shown(scan) {
        let (pile, before) = (scan.pile(id), decisions.of(id));
        let rule = scan.rules.rule(pile.rule);
        let account = scan.account_name(pile);
        let mut all = decided.iter();
        let known = all.find(|one| rule.id == *one.rule && one.account.as_deref() == account);
        let Some(known) = known.filter(|_| scan.survey_of(id).is_none()) else {
            continue;
        };
        let limit = known.limit.as_deref().map(str::parse::<AgeLimit>);
        let Ok(limit) = limit.transpose() else {
            continue;
        };
        let is_way = |by: &Removal| known.by.as_deref() == Some(by.name());
        let by = rule.rule.ways().into_iter().find(is_way);
        let after = PileDecision {
            is_taken: known.is_taken,
            limit,
            by: by.unwrap_or(before.by),
        };
        if after != before {
            wanted.push((id, after));
        }
    }
    let many = wanted.len();
    decisions.decide(scan, "as you left it before", &wanted);
    many
}

/// What a sheet lets go without a person: the piles of allowed classes as they were decided, or start, as long as they
/// don't exceed what may go at once. Nothing of the class `ask` ever does, and nothing that a survey found.
pub fn unattended(scan: &Scan, decisions: &mut Decisions, sheet: &Sheet, allowed: &Allowance) {
    let mut left = allowed.at_most.unwrap_or(u64::MAX);
    let mut wanted = Vec::new();
    let mut piles: Vec<PileId> = decisions.shown(scan).collect();
    // What nobody misses goes first, and of that the most.
    piles.sort_by_key(|id| (scan.class_of(*id), Reverse(decisions.takes(*id).bytes)));
    for id in &piles {
        let (pile, before) = (scan.pile(*id), decisions.of(*id));
        let class = scan.class_of(*id);
        let rule = &scan.rules.rule(pile.rule).id;
        let account = scan.account_name(pile);
        let mut remembered = sheet.decided.iter();
        let remembered =
            remembered.find(|one| *rule == *one.rule && one.account.as_deref() == account);
        let mut decision = before;
        if let Some(one) = remembered {
            let limit = one.limit.as_deref().map(str::parse::<AgeLimit>).transpose();
            decision.is_taken = one.is_taken;
            match limit {
                // No younger than it would start: a rule may have become more careful since.
                Ok(limit) => decision.limit = limit.max(before.limit),
                // What can't be read takes nothing.
                Err(_) => decision.is_taken = false,
            }
        }
        let may_go = class != Class::Ask
            && allowed.classes.contains(class.name())
            && scan.survey_of(*id).is_none();
        decision.is_taken &= may_go;
        wanted.push((*id, decision));
    }
    decisions.decide(scan, "without a person", &wanted);
    let mut too_much = Vec::new();
    for id in piles {
        let takes = decisions.takes(id).bytes;
        if takes > left {
            let decision = decisions.of(id);
            too_much.push((
                id,
                PileDecision {
                    is_taken: false,
                    ..decision
                },
            ));
        } else {
            left -= takes;
        }
    }
    decisions.decide(scan, "too much at once", &too_much);
}

/// What a run adds to a visit, with what was told about it.
pub fn visit_run(run: &RunId, ended: Timestamp, summary: &RunSummary, told: Told) -> VisitRun {
    let went = summary.went_by_rule.iter().map(|went| WentOf {
        rule: went.rule.to_string(),
        account: went.account.as_deref().map(str::to_owned),
        sum: kept(went.sum),
    });
    VisitRun {
        run: run.to_string(),
        ended,
        free: summary.free_after,
        went: went.collect(),
        told: Told {
            failed: failed(summary),
            ..told
        },
    }
}

/// What went wrong in a run, in words. What was in use or became younger did not.
fn failed(summary: &RunSummary) -> Option<String> {
    if let Some(why) = &summary.broke_off {
        return Some(format!("the sweep broke off: {why}"));
    }
    if summary.is_stopped {
        return Some("the sweep was stopped".to_owned());
    }
    let many = summary.sum(Outcome::Failed).items + summary.sum(Outcome::Denied).items;
    (many > 0).then(|| format!("{} could not go", counted(many, "item")))
}

/// What a run means for the customer, by what its rules say.
pub fn told(summary: &RunSummary, rules: &RuleSet) -> Told {
    let piles: Vec<NoticedPile<'_>> = (summary.went_by_rule.iter())
        .filter_map(|went| {
            let rule = &rules.rule(rules.by_id(&went.rule)?).rule;
            Some(NoticedPile {
                class: rule.class,
                account: went.account.as_deref(),
                title: &rule.title,
                after: &rule.after,
                sum: went.sum,
            })
        })
        .collect();
    Told {
        noticed: in_words(&notices(&piles).0),
        ..Told::default()
    }
}

/// What will be noticed, without what it is because of.
pub fn in_words(notices: &[Notice]) -> Vec<Noticed> {
    let noticed = notices.iter().map(|notice| Noticed {
        who: notice.who.clone(),
        what: notice.what.clone(),
    });
    noticed.collect()
}
