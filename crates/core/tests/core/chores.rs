//! Chores: a tool that asks a question, one that hears nothing, one that fails, and what is recorded of them.

use std::cell::Cell;
use std::time::{Duration, Instant};

use jolly_core::CancelToken;
use jolly_core::chores::{
    Chore, ChoreEnd, ChoreId, ChoreOrder, ChoreOutcome, ChoreStep, Surroundings, chores, run_chore,
};
use jolly_core::host::Tool;
use jolly_core::run::{list_commands, read_command};
use jolly_core::state::RunId;

use crate::support::{Bench, now, run_id};

fn chore(id: ChoreId, scripts: &[&str]) -> Chore {
    let step = |script: &&str| {
        ChoreStep::Tool(Tool {
            path: "/bin/sh".to_owned(),
            arguments: vec!["-c".to_owned(), (*script).to_owned()],
            shares: &[],
        })
    };
    Chore {
        id,
        can: Ok(scripts.iter().map(step).collect()),
        gives: None,
        facts: Vec::new(),
        packages: Vec::new(),
        last: None,
    }
}

/// Does a chore, stopped when its tools have said this.
fn done(bench: &Bench, chore: &Chore, stop_at: &str) -> ChoreEnd {
    let (cancel, many) = (CancelToken::default(), Cell::new(0));
    let target = bench.target();
    let next_run = || -> RunId {
        many.set(many.get() + 1);
        run_id(&format!("{}{}", chore.id.name(), many.get()))
    };
    let order = ChoreOrder {
        state: &bench.state(),
        target: &target,
        cancel: &cancel,
        clock: &now,
        next_run: &next_run,
        ask_terminal: &|| false,
    };
    let mut said = Vec::new();
    run_chore(&order, chore, &mut |bytes| {
        said.extend_from_slice(bytes);
        if !stop_at.is_empty() && String::from_utf8_lossy(&said).contains(stop_at) {
            cancel.cancel();
        }
    })
}

#[test]
fn a_tool_that_asks_or_hangs_is_ended_and_told() {
    let bench = Bench::new();
    let asks = "printf 'Remove all of it? [y/N] '; read answer; echo \"took $answer\"";
    let began = Instant::now();
    let end = done(&bench, &chore(ChoreId::NameCache, &[asks, "echo next"]), "");
    assert_eq!(end.outcome, ChoreOutcome::GivenUp, "{end:?}");
    assert!(end.says.contains("Remove all of it? [y/N]"), "{end:?}");
    assert_eq!(end.runs.len(), 1, "nothing follows what was given up");
    assert!(began.elapsed() < Duration::from_mins(1));
    let log = read_command(&bench.state(), &end.runs[0]).unwrap();
    assert!(log.ended.is_some() && log.code != Some(0) && !log.output.contains("took"));

    let deaf = "trap '' INT TERM HUP; echo ready; while :; do sleep 1; done";
    let began = Instant::now();
    let end = done(&bench, &chore(ChoreId::Trim, &[deaf]), "ready");
    assert_eq!(end.outcome, ChoreOutcome::Stopped, "{end:?}");
    assert!(began.elapsed() < Duration::from_secs(30));
}

#[test]
fn what_came_of_each_tool_is_recorded_and_a_failure_ends_the_chore() {
    let bench = Bench::new();
    let end = done(
        &bench,
        &chore(ChoreId::FontCache, &["echo one", "echo two"]),
        "",
    );
    assert_eq!((end.outcome, end.runs.len()), (ChoreOutcome::Done, 2));
    let hostile = "printf 'it\\033[2J broke\\n'; exit 3";
    let end = done(
        &bench,
        &chore(ChoreId::IconCaches, &[hostile, "echo two"]),
        "",
    );
    assert_eq!((end.outcome, end.runs.len()), (ChoreOutcome::Failed, 1));
    assert!(
        end.says.contains("broke") && !end.says.contains('\u{1b}'),
        "{end:?}"
    );
    let asked = Chore {
        can: Ok(vec![ChoreStep::Terminal]),
        ..chore(ChoreId::Clipboard, &[])
    };
    assert_eq!(done(&bench, &asked, "").outcome, ChoreOutcome::Failed);
    let cant = Chore {
        can: Err("it isn't installed".to_owned()),
        ..asked
    };
    let end = done(&bench, &cant, "");
    assert_eq!(end.outcome, ChoreOutcome::NotThere);
    let logs = list_commands(&bench.state()).unwrap();
    let logs: Vec<(String, Option<i32>)> = logs
        .into_iter()
        .map(|log| log.unwrap())
        .map(|log| (log.chore.unwrap(), log.code))
        .collect();
    let wanted = [
        ("clipboard", Some(1)),
        ("font-cache", Some(0)),
        ("font-cache", Some(0)),
        ("icon-caches", Some(3)),
    ];
    let wanted = wanted.map(|(name, code)| (name.to_owned(), code));
    assert_eq!(logs, wanted);
    // A computer on the bench has no chores: its tools aren't ours.
    let around = Surroundings {
        state: &bench.state(),
        now: now(),
        has_terminal: true,
        cancel: &CancelToken::default(),
    };
    assert!(chores(&bench.target(), &around).is_empty());
}
