//! From a key to its frame, with very many items loaded.

use std::path::Path;
use std::time::{Duration, Instant};

use jolly_broom::HeadlessUi;
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

/// Keys that are pressed over and over inside the biggest pile, with its biggest folder open.
const WALKS_INSIDE: [(&str, &[KeyCode]); 5] = [
    (
        "inside: age limits",
        &[KeyCode::Char('['), KeyCode::Char(']'), KeyCode::Down],
    ),
    (
        "inside: take, leave, undo",
        &[
            KeyCode::Char(' '),
            KeyCode::Char('u'),
            KeyCode::Char('U'),
            KeyCode::Char('u'),
        ],
    ),
    (
        "inside: order, move",
        &[
            KeyCode::Char('o'),
            KeyCode::End,
            KeyCode::PageUp,
            KeyCode::Home,
        ],
    ),
    (
        "inside: find",
        &[
            KeyCode::Char('/'),
            KeyCode::Char('9'),
            KeyCode::Char('9'),
            KeyCode::Enter,
            KeyCode::Char('n'),
        ],
    ),
    (
        "inside: exclude a folder, undo",
        &[
            KeyCode::Char('x'),
            KeyCode::Enter,
            KeyCode::Char('u'),
            KeyCode::Char('U'),
            KeyCode::Char('u'),
        ],
    ),
];

/// Builds a computer with so many old files, scans it and presses keys.
pub(crate) fn measure(dir: &Path, files: usize) -> Result<(), Failure> {
    let root = dir.join("computer");
    build(&root, files)?;
    let mut stage = HeadlessUi::open(&root, &dir.join("state"))?;
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
    all.extend(inside(&mut stage));
    print("all keys", all);
    let mut listed = Vec::new();
    for _ in 0..5 {
        let (_, later) = stage.press(KeyCode::Tab);
        listed.extend(later);
        stage.press(KeyCode::BackTab);
    }
    print("the list's end to its frame, check", listed);
    space(&mut stage);
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

/// Opens the biggest pile and its biggest folder, closes it again, and presses keys in it.
fn inside(stage: &mut HeadlessUi) -> Vec<Duration> {
    let mut all = Vec::new();
    let (mut opens, mut opened, mut answered) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..5 {
        for key in ['/', 't', 'e', 'm', 'p'].map(KeyCode::Char) {
            stage.press(key);
        }
        stage.press(KeyCode::Enter);
        for key in [KeyCode::Enter, KeyCode::Home, KeyCode::Enter] {
            let began = Instant::now();
            let (took, later) = stage.press(key);
            answered.push(began.elapsed());
            opens.push(took);
            opened.extend(later);
        }
        stage.press(KeyCode::Esc);
    }
    all.extend(&opens);
    print("open the biggest pile", opens);
    print("from the key until it stands open", answered);
    print("its answer's end to its frame", opened);
    for key in ['/', 't', 'e', 'm', 'p'].map(KeyCode::Char) {
        stage.press(key);
    }
    for key in [
        KeyCode::Enter,
        KeyCode::Enter,
        KeyCode::Home,
        KeyCode::Enter,
    ] {
        stage.press(key);
    }
    let mut answers = Vec::new();
    for (what, keys) in WALKS_INSIDE {
        let mut times = Vec::new();
        for key in keys.iter().cycle().take(keys.len() * 40) {
            let (took, later) = stage.press(*key);
            times.push(took);
            answers.extend(later);
        }
        all.extend(&times);
        print(what, times);
    }
    print("inside: an answer's end to its frame", answers);
    stage.press(KeyCode::Esc);
    all
}

/// Keys that are pressed over and over where the space is.
const WALKS_IN_SPACE: [(&str, &[KeyCode]); 2] = [
    (
        "space: into a folder, out of it",
        &[
            KeyCode::Enter,
            KeyCode::Enter,
            KeyCode::Enter,
            KeyCode::Left,
            KeyCode::Left,
            KeyCode::Left,
            KeyCode::Down,
        ],
    ),
    (
        "space: lists, move",
        &[
            KeyCode::Char('o'),
            KeyCode::End,
            KeyCode::PageUp,
            KeyCode::Home,
        ],
    ),
];

/// Looks where the space is, and walks through it.
fn space(stage: &mut HeadlessUi) {
    let began = Instant::now();
    let (took, later) = stage.press(KeyCode::Char('D'));
    println!(
        "  all of it walked and added up in {:.2} s",
        began.elapsed().as_secs_f64()
    );
    print("space: the key to its first frame", vec![took]);
    print(
        "space: an answer's end to its frame",
        later.into_iter().collect(),
    );
    for (what, keys) in WALKS_IN_SPACE {
        print(what, press(stage, keys, 60));
    }
    stage.press(KeyCode::Esc);
}

fn press(stage: &mut HeadlessUi, keys: &[KeyCode], rounds: usize) -> Vec<Duration> {
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
        // One pile holds most, and one of its folders the half of that.
        let place = match number % 10 {
            0..3 => "tmp/runs/wide",
            3..6 => "tmp/runs",
            6 => "var/tmp/builds",
            7 => "var/log/old",
            8 => "home/ada/.cache/maps",
            _ => "home/ben/.cache/maps",
        };
        let end = if number % 10 == 7 { ".log.1.gz" } else { "" };
        let folder = if number % 10 < 3 { 0 } else { number / 500 };
        let days = i64::try_from(number * 7919 % 1500)?;
        tree.file(
            format!("{place}/{folder}/part-{number}{end}"),
            0,
            days * DAY + 60,
        )?;
    }
    Ok(())
}
