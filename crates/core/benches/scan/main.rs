//! The walker against a bare loop, `du` and `find`, in turn on the same warm trees.
//!
//! `cargo bench -p jolly-core --bench scan` runs everything; `-- --quick` leaves the trees of a
//! million files and more out, `-- --only "10 folders"` runs those whose name holds the words. `JOLLY_BROOM_BENCH` names the folder to build in, which is
//! `/dev/shm` otherwise.

#![allow(
    clippy::print_stdout,
    reason = "a bench prints what it measured, and nobody else reads its output"
)]

mod bare;
mod rules;
mod trees;
mod turns;

use std::path::{Path, PathBuf};
use std::process::Command;

use trees::Shape;
use turns::{Contest, scan_once};

type Failure = Box<dyn std::error::Error>;

fn main() -> Result<(), Failure> {
    let arguments: Vec<String> = std::env::args().collect();
    if let [_, child, what, root] = &arguments[..]
        && child == "--child"
    {
        return peak_of(what, Path::new(root));
    }
    let is_quick = arguments.iter().any(|argument| argument == "--quick");
    let only = arguments
        .iter()
        .skip_while(|argument| *argument != "--only")
        .nth(1);
    let base = std::env::var_os("JOLLY_BROOM_BENCH").map_or("/dev/shm".into(), PathBuf::from);
    let dir = tempfile::Builder::new()
        .prefix("jolly-broom-bench-")
        .tempdir_in(&base)?;
    println!("trees in {}", base.display());
    let shapes = [
        Shape::spread("10 k files", 10_000),
        Shape::spread("100 k files", 100_000),
        Shape::spread("1 M files", 1_000_000),
        Shape::wide("1 M files in 10 folders", 1_000_000),
        Shape::spread("2 M files", 2_000_000),
        Shape::one_folder("one folder of 1 M", 1_000_000),
        Shape::chain("chain of 2,000 folders", 2_000),
    ];
    let is_wanted = |shape: &&Shape| {
        only.map_or(!is_quick || shape.files < 1_000_000, |only| {
            shape.name.contains(only)
        })
    };
    for shape in shapes.iter().filter(is_wanted) {
        let root = dir.path().join("tree");
        shape.build(&root)?;
        measure(shape, &root)?;
        // Gone before the next, so that only one of them takes room.
        trees::remove(&root)?;
    }
    Ok(())
}

/// Runs everything in turn on one tree, and prints it.
fn measure(shape: &Shape, root: &Path) -> Result<(), Failure> {
    let rounds = if shape.files >= 1_000_000 { 5 } else { 15 };
    let (everything, hundred, tenth) = (rules::everything()?, rules::hundred()?, rules::tenth()?);
    let mut contest = Contest::new(shape.files, rounds);
    contest.enter("bare loop, 2 threads", || bare::walk(root, 2));
    contest.enter("scan, 1 rule", || scan_once(root, &everything));
    if shape.is_spread {
        contest.enter("scan, 100 rules", || scan_once(root, &hundred));
        contest.enter("scan, a tenth wanted", || scan_once(root, &tenth));
    }
    contest.enter("du -s", || run(Command::new("du").arg("-s").arg(root)));
    contest.enter("find -printf", || {
        let format = "%p %y %s %b %T@ %A@ %C@ %i %n\\n";
        run(Command::new("find").arg(root).args(["-printf", format]))
    });
    contest.run_and_print(shape.name)?;
    let (bare, scan) = (peak_in_child("bare", root)?, peak_in_child("scan", root)?);
    let per_item = scan.saturating_sub(bare) as f64 / shape.files as f64;
    println!(
        "  {:<24} {per_item:8.1} bytes an item at peak ({} KiB over the bare loop's {} KiB)",
        "memory",
        scan.saturating_sub(bare) / 1024,
        bare / 1024
    );
    Ok(())
}

fn run(command: &mut Command) -> Result<u64, Failure> {
    let status = command
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::null())
        .status()?;
    if status.success() {
        Ok(0)
    } else {
        Err(format!("{command:?} failed").into())
    }
}

/// The peak of a process of its own that does one thing, in bytes.
fn peak_in_child(what: &str, root: &Path) -> Result<u64, Failure> {
    let output = Command::new(std::env::current_exe()?)
        .args(["--child", what])
        .arg(root)
        .output()?;
    Ok(String::from_utf8(output.stdout)?.trim().parse()?)
}

fn peak_of(what: &str, root: &Path) -> Result<(), Failure> {
    let rules = rules::everything()?;
    let _counted = match what {
        "scan" => scan_once(root, &rules)?,
        _ => bare::walk(root, 2)?,
    };
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"));
    let kib: u64 = line
        .and_then(|line| line.split_whitespace().nth(1))
        .ok_or("no peak is told")?
        .parse()?;
    println!("{}", kib * 1024);
    Ok(())
}
