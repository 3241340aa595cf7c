//! The sweep against `rm -rf`, and setting aside against `tar | zstd -1 -T2`, in turn on trees that
//! are built anew for each.
//!
//! `cargo bench -p jolly-core --bench sweep` runs everything; `-- --quick` takes a tenth of the
//! files, `-- --only tmpfs` runs those whose name holds the word. Trees lie in `/dev/shm`, in a fresh
//! ext4 file system in an image where this process may mount one, and in the folder for temporary files, where
//! the logs are, too.

#![allow(
    clippy::print_stdout,
    reason = "a bench prints what it measured, and nobody else reads its output"
)]

mod image;
mod tree;
mod trees;

use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

use image::Image;
use tree::Way;
use trees::Alike;

/// How often each is measured.
const ROUNDS: usize = 5;

type Failure = Box<dyn std::error::Error>;

fn main() -> Result<(), Failure> {
    let is_quick = std::env::args().any(|argument| argument == "--quick");
    let share = if is_quick { 10 } else { 1 };
    let only = std::env::args()
        .skip_while(|argument| argument != "--only")
        .nth(1);
    let is_wanted = |name: &str| only.as_ref().is_none_or(|only| name.contains(only));
    let memory = tempfile::Builder::new()
        .prefix("jolly-broom-bench-")
        .tempdir_in("/dev/shm")?;
    let many = 500_000 / share;
    let plain = Alike::empty(many, 50);
    let shared = Alike {
        mode: 0o777,
        ..plain
    };
    let few = Alike::empty(many, many / 10);
    for (name, tree) in [
        ("tmpfs, small folders", plain),
        ("tmpfs, 10 folders", few),
        ("tmpfs, others may change it", shared),
    ] {
        if is_wanted(name) {
            remove_in_turn(name, memory.path(), tree)?;
        }
    }
    let files = 100_000 / share;
    let waiting = Alike {
        files: 5_000 / share,
        bytes: 4096,
        waits: true,
        ..plain
    };
    for (name, tree) in [
        ("ext4 image", Alike { files, ..plain }),
        (
            "ext4 image, others may change it",
            Alike { files, ..shared },
        ),
        ("ext4 image, each removal waits for the device", waiting),
    ] {
        if is_wanted(name) {
            match Image::mount(4 << 30) {
                Ok(image) => remove_in_turn(name, image.path(), tree)?,
                Err(error) => println!("\n{name}: not measured, {error}"),
            }
        }
    }
    if is_wanted("disk") {
        let tree = Alike {
            files: 5_000 / share,
            bytes: 4096,
            ..plain
        };
        let disk = tempfile::Builder::new()
            .prefix("jolly-broom-bench-")
            .tempdir()?;
        remove_in_turn("disk of the temporary folder", disk.path(), tree)?;
    }
    if is_wanted("set aside") {
        aside_in_turn(memory.path(), share)?;
    }
    Ok(())
}

/// Builds and removes the same tree, by `rm -rf` and by a sweep.
fn remove_in_turn(name: &str, base: &Path, tree: Alike) -> Result<(), Failure> {
    let Alike {
        files,
        in_folder,
        bytes,
        ..
    } = tree;
    println!("\n{name}: {files} files of {bytes} bytes, {in_folder} in a folder, {ROUNDS} rounds");
    let root = base.join("tree");
    let by_rm = || {
        trees::alike(&root, tree)?;
        let began = Instant::now();
        run(Command::new("rm").arg("-rf").arg(root.join("tmp")))?;
        Ok(began.elapsed())
    };
    let by_sweep = || {
        trees::alike(&root, tree)?;
        tree::sweep(&root, Way::Remove)
    };
    in_turn(("rm -rf", &by_rm), ("sweep", &by_sweep))
}

/// Packs the same files, by `tar | zstd -1 -T2` and by a sweep that sets aside.
fn aside_in_turn(base: &Path, share: usize) -> Result<(), Failure> {
    println!("\nset aside on tmpfs: files of 4 KiB and of 50 MiB, {ROUNDS} rounds");
    let root = base.join("tree");
    let by_tar = || {
        trees::full(&root, share)?;
        let packed = std::env::temp_dir().join("jolly-broom-bench.tar.zst");
        let began = Instant::now();
        let pipe = format!(
            "tar -C '{}' -cf - tmp | zstd -q -f -1 -T2 -o '{}'",
            root.display(),
            packed.display()
        );
        run(Command::new("sh").args(["-c", &pipe]))?;
        let took = began.elapsed();
        run(Command::new("rm").arg("-f").arg(&packed))?;
        Ok(took)
    };
    let by_sweep = || {
        trees::full(&root, share)?;
        tree::sweep(&root, Way::SetAside)
    };
    in_turn(("tar | zstd -1 -T2", &by_tar), ("sweep", &by_sweep))
}

type Run<'a> = (&'a str, &'a dyn Fn() -> Result<Duration, Failure>);

/// Runs both in every round, in an order that changes, and prints medians.
fn in_turn(one: Run<'_>, other: Run<'_>) -> Result<(), Failure> {
    let mut times = Vec::new();
    for round in 0..=ROUNDS {
        let pair = if round % 2 == 0 {
            let first = (one.1)()?;
            (first, (other.1)()?)
        } else {
            let second = (other.1)()?;
            ((one.1)()?, second)
        };
        // The first round only warms.
        if round > 0 {
            times.push(pair);
        }
    }
    let median = |mut all: Vec<f64>| {
        all.sort_by(f64::total_cmp);
        all[all.len() / 2]
    };
    let of = |take: fn(&(Duration, Duration)) -> f64| median(times.iter().map(take).collect());
    println!(
        "  {:<20} {:8.1} ms",
        one.0,
        of(|pair| pair.0.as_secs_f64() * 1e3)
    );
    println!(
        "  {:<20} {:8.1} ms",
        other.0,
        of(|pair| pair.1.as_secs_f64() * 1e3)
    );
    let ratio = of(|pair| pair.1.as_secs_f64() / pair.0.as_secs_f64());
    println!("  {:<20} {ratio:8.2} of {}", "ratio", one.0);
    Ok(())
}

fn run(command: &mut Command) -> Result<(), Failure> {
    if command.status()?.success() {
        Ok(())
    } else {
        Err(format!("{command:?} failed").into())
    }
}
