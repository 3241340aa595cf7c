//! The record comes before the touch; a record that can't be kept stops the run.

use std::collections::BTreeSet;
use std::io::{self, Write};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

use jolly_core::CancelToken;
use jolly_core::run::{Pause, Real, list_logs, read_items, sweep, verify_log};
use jolly_core::state::{Journal, LogError, RunId};

use crate::support::{Bench, DAY, context, manifest_of, now, run, run_id};

/// A disk for the journal that is full after so many calls.
struct Failing {
    left: AtomicU64,
    written: Arc<Mutex<Vec<u8>>>,
}

impl Failing {
    fn pass(&self) -> io::Result<()> {
        let left = self.left.load(Ordering::SeqCst);
        self.left.store(left.saturating_sub(1), Ordering::SeqCst);
        if left == 0 {
            Err(io::Error::from(io::ErrorKind::StorageFull))
        } else {
            Ok(())
        }
    }
}

impl Write for Failing {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.pass()?;
        self.written.lock().unwrap().extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl jolly_core::state::Sink for Failing {
    fn sync(&mut self) -> io::Result<()> {
        self.pass()
    }
}

fn bench_of(count: usize) -> Bench {
    let bench = Bench::new();
    for number in 0..count {
        bench
            .tree
            .file(format!("tmp/{}/x{number:05}", number % 7), 0, 60 * DAY)
            .unwrap();
    }
    bench
}

#[test]
fn whatever_is_gone_was_intended_in_a_record_that_reached_the_disk() {
    for calls in (0..12).chain([19, 27, 40, 63]) {
        let bench = bench_of(2300);
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let before = bench.paths();
        let written = Arc::new(Mutex::new(Vec::new()));
        let sink = Failing {
            left: AtomicU64::new(calls),
            written: Arc::clone(&written),
        };
        let mut journal = Journal::new("journal".into(), Box::new(sink));
        let state = bench.state();
        let mode = Real {
            run: &run_id("one"),
            state: &state,
            journal: &mut journal,
            dustpan: None,
            started: now(),
            pause: Pause::default(),
            predictions: None,
        };
        let confirmed = manifest.confirm();
        let swept = sweep(
            &context(&scan),
            &confirmed,
            mode,
            &CancelToken::default(),
            &now,
            &|_| {},
        );
        let after = bench.paths();
        let gone = before.difference(&after).count();
        match swept {
            Err(_) => assert_eq!(
                gone, 0,
                "{calls} calls: no record, and yet something is gone"
            ),
            Ok(summary) if summary.broke_off.is_none() => assert!(gone > 2300),
            Ok(_) => {}
        }
        let text = String::from_utf8(written.lock().unwrap().clone()).unwrap();
        let intended: BTreeSet<&str> = text
            .split("\"path\":\"")
            .filter_map(|rest| rest.split('"').next())
            .collect();
        for path in before.difference(&after) {
            let name = path.rsplit(|byte| *byte == b'/').next().unwrap();
            let name = std::str::from_utf8(name).unwrap();
            assert!(
                intended.contains(name),
                "{calls} calls: {name} went without a record"
            );
        }
    }
}

#[test]
fn every_altered_lost_or_added_line_shows_and_is_named() {
    let bench = bench_of(30);
    let scan = bench.scan();
    run(
        &bench,
        &scan,
        &manifest_of(&scan, true),
        "one",
        &CancelToken::default(),
    )
    .unwrap();
    let path = bench.state().log(&run_id("one"));
    let whole = std::fs::read_to_string(&path).unwrap();
    let lines: Vec<&str> = whole.lines().collect();
    assert!(lines.len() > 8);
    let verify = |lines: &[String]| {
        std::fs::write(&path, lines.join("\n") + "\n").unwrap();
        match verify_log(&bench.state(), &run_id("one")) {
            Ok(_) => None,
            Err(LogError::Altered { line, .. }) => Some(line),
            Err(other) => panic!("{other}"),
        }
    };
    let own =
        |lines: &[&str]| -> Vec<String> { lines.iter().map(|line| (*line).to_owned()).collect() };
    assert_eq!(verify(&own(&lines)), None);
    for at in 0..lines.len() {
        let mut altered = own(&lines);
        let digit = altered[at]
            .find(|letter: char| letter.is_ascii_digit())
            .unwrap();
        let new = if altered[at].as_bytes()[digit] == b'7' {
            "8"
        } else {
            "7"
        };
        altered[at].replace_range(digit..=digit, new);
        assert_eq!(verify(&altered), Some(at + 1), "a digit of line {}", at + 1);
        if at + 1 < lines.len() {
            let mut lost = own(&lines);
            lost.remove(at);
            assert_eq!(verify(&lost), Some(at + 1), "line {} lost", at + 1);
        }
        let mut doubled = own(&lines);
        doubled.insert(at, lines[at].to_owned());
        assert!(verify(&doubled).is_some(), "line {} twice", at + 1);
    }
    // Not even a part of a line stands behind the end.
    let whole = lines.join("\n") + "\n";
    std::fs::write(&path, whole + "{\"line\":").unwrap();
    let verified = verify_log(&bench.state(), &run_id("one"));
    let line = lines.len() + 1;
    assert!(matches!(verified, Err(LogError::Altered { line: at, .. }) if at == line));
}

#[test]
fn logs_are_private_and_a_name_never_breaks_a_line() {
    use std::os::unix::fs::MetadataExt as _;
    let bench = Bench::demo();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    let log = bench.state().log(&run_id("one"));
    assert_eq!(std::fs::metadata(&log).unwrap().mode() & 0o777, 0o600);
    assert_eq!(
        std::fs::metadata(bench.state().path()).unwrap().mode() & 0o777,
        0o700
    );
    let text = std::fs::read(&log).unwrap();
    assert!(!text.contains(&0x1b));
    for line in text
        .split(|byte| *byte == b'\n')
        .filter(|line| !line.is_empty())
    {
        let value: serde_json::Value = serde_json::from_slice(line).unwrap();
        assert!(value["prev"].is_string() && value["sum"].is_string());
    }
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    assert_eq!(items.len(), manifest.items.len());
    let exact = items
        .iter()
        .filter_map(|item| item.place.path.path_base64.as_ref())
        .count();
    assert_eq!(exact, 1);
    assert_eq!(list_logs(&bench.state()).unwrap().len(), 1);
    assert!("../one".parse::<RunId>().is_err());
    assert!(matches!(
        verify_log(&bench.state(), &run_id("two")),
        Err(LogError::NoSuchRun { .. })
    ));
}
