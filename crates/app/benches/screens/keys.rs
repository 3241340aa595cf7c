//! From a key to its frame, with very many items loaded.

use std::path::Path;
use std::time::{Duration, Instant};

use jolly_broom::Stage;
use jolly_demo::TreeBuilder;
use ratatui::crossterm::event::KeyCode;

use crate::{Failure, print};

const DAY: i64 = 86_400;

/// Keys that are pressed over and over, as a person who weighs presses them.
const WALKS: [(&str, &[KeyCode]); 6] = [
    (
        "age limits",
        &[
            KeyCode::Char('['),
            KeyCode::Char(']'),
            KeyCode::Char('['),
            KeyCode::Down,
        ],
    ),
    (
        "age limits of a class",
        &[KeyCode::Char('{'), KeyCode::Char('}'), KeyCode::Char('{')],
    ),
    (
        "take, leave, undo, do again",
        &[KeyCode::Char(' '), KeyCode::Char('u'), KeyCode::Char('U')],
    ),
    (
        "order, move",
        &[
            KeyCode::Char('o'),
            KeyCode::End,
            KeyCode::PageUp,
            KeyCode::Home,
        ],
    ),
    (
        "find",
        &[
            KeyCode::Char('/'),
            KeyCode::Char('l'),
            KeyCode::Char('o'),
            KeyCode::Enter,
        ],
    ),
    (
        "exact age",
        &[KeyCode::Char('='), KeyCode::Char('3'), KeyCode::Esc],
    ),
];

/// Builds a computer with so many old files, scans it and presses keys.
pub(crate) fn measure(dir: &Path, files: usize) -> Result<(), Failure> {
    let root = dir.join("computer");
    build(&root, files)?;
    let mut stage = Stage::open(&root, &dir.join("state"))?;
    let began = Instant::now();
    let (items, first) = stage.scan();
    println!(
        "\n{items} items loaded in {:.2} s",
        began.elapsed().as_secs_f64()
    );
    print("the scan's end to its first frame", vec![first]);
    let mut all = Vec::new();
    for (what, keys) in WALKS {
        let times = press(&mut stage, keys, 300);
        all.extend(&times);
        print(what, times);
    }
    print("all keys", all);
    let mut listed = Vec::new();
    for _ in 0..5 {
        let (_, later) = stage.press(KeyCode::Tab);
        listed.extend(later);
        stage.press(KeyCode::BackTab);
    }
    print("the list's end to its frame, check", listed);
    let (again, first) = stage.scan();
    println!(
        "  scanned again: {again} items, first frame {:.2} ms",
        first.as_secs_f64() * 1e3
    );
    println!("  {}", stage.shown().get(42).map_or("", |line| line.trim()));
    std::process::Command::new("rm")
        .arg("-rf")
        .arg(&root)
        .status()?;
    Ok(())
}

fn press(stage: &mut Stage, keys: &[KeyCode], rounds: usize) -> Vec<Duration> {
    let keys = keys.iter().cycle().take(keys.len() * rounds);
    keys.map(|key| stage.press(*key).0).collect()
}

/// A linux computer of three people: temporary files and caches of all ages.
fn build(root: &Path, files: usize) -> Result<(), Failure> {
    let now = std::time::UNIX_EPOCH.elapsed()?.as_secs();
    let tree = TreeBuilder::new(root, i64::try_from(now)?)?;
    let people = "ada:x:1001:1001::/home/ada:/bin/sh\nben:x:1002:1002::/home/ben:/bin/sh\n";
    tree.text("etc/passwd", people, 900 * DAY)?;
    for number in 0..files {
        let place = match number % 5 {
            0 => "tmp/runs",
            1 => "var/tmp/builds",
            2 => "var/log/old",
            3 => "home/ada/.cache/maps",
            _ => "home/ben/.cache/maps",
        };
        let end = if number % 5 == 2 { ".log.1.gz" } else { "" };
        let folder = number / 500;
        let days = i64::try_from(number * 7919 % 1500)?;
        tree.file(
            format!("{place}/{folder}/part-{number}{end}"),
            0,
            days * DAY + 60,
        )?;
    }
    Ok(())
}
