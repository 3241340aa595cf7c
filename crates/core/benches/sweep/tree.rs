//! One sweep of a tree, timed from the confirmed list to the last line of the log.

use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::{Layout, Target};
use jolly_core::decide::{Decisions, Selection};
use jolly_core::dustpan::{Dustpan, NewDustpan};
use jolly_core::pile::{ScanOrder, scan};
use jolly_core::plan::make_manifest;
use jolly_core::rule::RuleSet;
use jolly_core::run::{Pause, Real, RunContext, RunSummary, SweepError, sweep as carry_out};
use jolly_core::state::{Journal, RunId, StateFolder};
use jolly_disk::RealDisk;

use crate::Failure;

/// How everything leaves.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Way {
    Remove,
    SetAside,
}

fn rules(way: Way) -> Result<RuleSet, Failure> {
    let by = match way {
        Way::Remove => "class = \"spent\"",
        Way::SetAside => "class = \"ask\"",
    };
    let text = format!(
        "rulebook = \"bench\"\nlayout = \"linux\"\n[[rule]]\nid = \"all\"\ntitle = \"All\"\n{by}\n\
         about = \"a\"\nafter = \"b\"\nin = [\"{{temp}}\"]\n"
    );
    Ok(RuleSet::compile(&[("bench.toml".to_owned(), text)]).map_err(|error| error.to_string())?)
}

#[expect(clippy::disallowed_methods, reason = "a bench knows the clock")]
fn clock() -> Timestamp {
    Timestamp::now()
}

/// Scans, and says how long sweeping everything takes.
fn sweep_all(root: &Path, way: Way) -> Result<(Duration, RunSummary), Failure> {
    let folder = tempfile::tempdir()?;
    let state = StateFolder::new(folder.path().join("state"));
    let target = Target::open(Arc::new(RealDisk), root, Some(Layout::Linux), &|_| None)?;
    let (target, rules) = (Arc::new(target), Arc::new(rules(way)?));
    let order = ScanOrder::new(&target, &rules, "2100-01-01T00:00:00Z".parse()?);
    let cancel = CancelToken::default();
    let scan = scan(&order, &cancel, &|_| {});
    let selection = Selection {
        takes_all: true,
        ..Selection::default()
    };
    let manifest = make_manifest(&scan, &Decisions::new(&scan, &selection)?);
    let confirmed = manifest.confirm();
    let tree = RunContext {
        target: &scan.target,
        rules: &scan.rules,
        searches: &scan.searches,
        own: &[],
        excluded: &[],
        rules_off: &[],
    };
    let began = Instant::now();
    let run = RunId::new(clock(), std::process::id());
    let mut journal = Journal::create(&state, &run)?;
    let mut dustpan = match way {
        Way::Remove => None,
        Way::SetAside => {
            let new = NewDustpan {
                run: &run,
                started: clock(),
                target: &scan.target,
                folder: None,
            };
            Some(Dustpan::create(&state, &new)?)
        }
    };
    let mode = Real {
        run: &run,
        state: &state,
        journal: &mut journal,
        dustpan: dustpan.as_mut(),
        started: clock(),
        pause: Pause::default(),
        predictions: None,
    };
    let swept: Result<RunSummary, SweepError> =
        carry_out(&tree, &confirmed, mode, &cancel, &clock, &|_| {});
    let summary = swept?;
    if let Some(dustpan) = &mut dustpan {
        dustpan.finish()?;
    }
    Ok((began.elapsed(), summary))
}

/// Sweeps everything below a root; nothing may stay.
pub(crate) fn sweep(root: &Path, way: Way) -> Result<Duration, Failure> {
    let (took, summary) = sweep_all(root, way)?;
    if summary.has_stayed() || summary.broke_off.is_some() {
        return Err(format!("something stayed: {:?}", summary.stayed).into());
    }
    Ok(took)
}
