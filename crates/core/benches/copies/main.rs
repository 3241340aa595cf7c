//! The look for copies against reading every candidate once, and where the space is against `du`, in turn on one tree.
//!
//! `cargo bench -p jolly-core --bench copies`; `-- --quick` takes a tenth. Large files lie in the folder for temporary files,
//! small ones in `/dev/shm`.

#![allow(
    clippy::print_stdout,
    reason = "a bench prints what it measured, and nobody else reads its output"
)]

use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use jolly_core::CancelToken;
use jolly_core::computer::Target;
use jolly_core::survey::{MeantTheSame, copies, space};
use jolly_core::walk::walk_tree;
use jolly_disk::RealDisk;

const ROUNDS: usize = 5;

type Failure = Box<dyn std::error::Error>;

/// A contender and how it is run.
type Contender<'a> = (&'a str, &'a dyn Fn() -> Result<(), Failure>);

fn main() -> Result<(), Failure> {
    let is_quick = std::env::args().any(|argument| argument == "--quick");
    let share = if is_quick { 10 } else { 1 };
    let dir = tempfile::Builder::new()
        .prefix("jolly-broom-bench-")
        .tempdir()?;
    large(dir.path(), 800 / share)?;
    drop(dir);
    let memory = tempfile::Builder::new()
        .prefix("jolly-broom-bench-")
        .tempdir_in("/dev/shm")?;
    small(memory.path(), 1_000_000 / share)
}

fn computer(root: &Path) -> Result<(), Failure> {
    std::fs::create_dir_all(root.join("etc"))?;
    std::fs::write(root.join("etc/os-release"), "ID=x\n")?;
    let people = "ada:x:1001:1001::/home/ada:/bin/sh\n";
    Ok(std::fs::write(root.join("etc/passwd"), people)?)
}

/// Files of 1.5 MiB that all have a twin.
fn large(root: &Path, files: usize) -> Result<(), Failure> {
    computer(root)?;
    for number in 0..files {
        let folder = root.join(format!("home/ada/{}", ["Pictures", "stick"][number % 2]));
        std::fs::create_dir_all(&folder)?;
        let word = (number as u64 / 2).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        let bytes: Vec<u8> = (0..196_608_u64)
            .flat_map(|at| word.wrapping_add(at).to_le_bytes())
            .collect();
        std::fs::write(folder.join(format!("{number}.jpg")), bytes)?;
    }
    println!("\n{files} files of 1.5 MiB that all have a twin, warm, {ROUNDS} rounds");
    let home = root.join("home");
    let by = |program: &str| {
        let all = format!(
            "find '{}' -type f -print0 | xargs -0 {program}",
            home.display()
        );
        run(Command::new("sh").args(["-c", &all]))
    };
    in_turn(&[
        ("cat of them", &|| by("cat")),
        ("sha256sum of them", &|| by("sha256sum")),
        ("sizes alone", &|| look(root, false)),
        ("copies", &|| look(root, true)),
    ])
}

/// Many files of which every tenth has a twin.
fn small(root: &Path, files: usize) -> Result<(), Failure> {
    computer(root)?;
    for number in 0..files {
        let folder = root.join(format!("home/ada/Documents/{}", number / 500));
        if number % 500 == 0 {
            std::fs::create_dir_all(&folder)?;
        }
        let path = folder.join(format!("page {number}.txt"));
        // Of the others no two have one length.
        if number % 10 == 0 {
            std::fs::write(path, format!("{:>2000}", number / 20))?;
        } else {
            std::fs::File::create(path)?.set_len(10_000 + number as u64)?;
        }
    }
    println!("\n{files} small files on tmpfs, of which a tenth has a twin, {ROUNDS} rounds");
    in_turn(&[
        ("du -s", &|| run(Command::new("du").arg("-s").arg(root))),
        ("space", &|| look(root, false)),
        ("copies", &|| look(root, true)),
    ])
}

fn look(root: &Path, for_copies: bool) -> Result<(), Failure> {
    let target = Target::open(Arc::new(RealDisk), root, None, &|_| None)?;
    let never = CancelToken::default();
    let tree = walk_tree(&target, &[], &never, &|_| {});
    if for_copies {
        let meant = MeantTheSame::default();
        let found = copies(&target, &tree, (&[], &meant), &never, &|_| {});
        assert!(!found.groups.is_empty(), "there are copies");
    } else {
        let found = space(&target, tree);
        assert!(found.whole().counted > 0, "there is something");
    }
    Ok(())
}

fn run(command: &mut Command) -> Result<(), Failure> {
    let status = command.stdout(Stdio::null()).status()?;
    if status.success() {
        Ok(())
    } else {
        Err(format!("{command:?} failed").into())
    }
}

/// Runs all of them in each round, each time another one first, and prints how long each took beside the first.
fn in_turn(all: &[Contender<'_>]) -> Result<(), Failure> {
    let mut times: Vec<Vec<Duration>> = vec![Vec::new(); all.len()];
    for round in 0..ROUNDS {
        for step in 0..all.len() {
            let at = (round + step) % all.len();
            let began = Instant::now();
            (all[at].1)()?;
            times[at].push(began.elapsed());
        }
    }
    let seconds = |time: &Duration| time.as_secs_f64();
    for ((name, _), own) in all.iter().zip(&times) {
        let mut ratios: Vec<f64> = (own.iter().zip(&times[0]))
            .map(|(own, first)| seconds(own) / seconds(first))
            .collect();
        ratios.sort_by(f64::total_cmp);
        let mut own = own.clone();
        own.sort_unstable();
        println!(
            "  {name:<20} median {:7.3} s   of the first {:.2} ({:.2} to {:.2})",
            seconds(&own[ROUNDS / 2]),
            ratios[ROUNDS / 2],
            ratios[0],
            ratios[ROUNDS - 1],
        );
    }
    Ok(())
}
