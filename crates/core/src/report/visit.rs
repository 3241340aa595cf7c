//! A visit as a job sheet keeps it: what a scan found, what a run did.

use jiff::Timestamp;

use crate::decide::Decisions;
use crate::pile::{Scan, Sum};
use crate::run::RunSummary;
use crate::state::{Kept, RunId, VisitPile, VisitRun, VisitScan, WentOf};

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

/// What a run adds to a visit.
pub fn visit_run(run: &RunId, ended: Timestamp, summary: &RunSummary) -> VisitRun {
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
    }
}
