//! How fast the screens answer: with a million items loaded, and from the start of the program.
//!
//! `cargo bench -p jolly-broom --bench screens`; `-- --quick` loads a hundred thousand, `-- --items 5000000` so many.
//! `JOLLY_BROOM_BENCH` names the folder to build in, which is `/dev/shm` otherwise.

#![allow(
    clippy::print_stdout,
    reason = "a bench prints what it measured, and nobody else reads its output"
)]

mod keys;
mod start;

use std::path::PathBuf;
use std::time::Duration;

type Failure = Box<dyn std::error::Error>;

fn main() -> Result<(), Failure> {
    let is_quick = std::env::args().any(|argument| argument == "--quick");
    let mut named = std::env::args().skip_while(|argument| argument != "--items");
    let usual = if is_quick { 100_000 } else { 1_000_000 };
    let items = named.nth(1).map_or(Ok(usual), |items| items.parse())?;
    let base = std::env::var_os("JOLLY_BROOM_BENCH").map_or("/dev/shm".into(), PathBuf::from);
    let dir = tempfile::Builder::new()
        .prefix("jolly-broom-bench-")
        .tempdir_in(base)?;
    start::measure(dir.path())?;
    keys::measure(dir.path(), items)
}

/// A time at a share of all, which are sorted.
fn at(all: &[Duration], percent: usize) -> Duration {
    let place = (all.len() * percent / 100).min(all.len().saturating_sub(1));
    all.get(place).copied().unwrap_or_default()
}

/// Prints how times are distributed.
fn print(what: &str, mut all: Vec<Duration>) {
    all.sort_unstable();
    let ms = |time: Duration| format!("{:8.2}", time.as_secs_f64() * 1e3);
    println!(
        "  {what:<34} {:>6} times   median {} ms   99 of 100 {} ms   worst {} ms",
        all.len(),
        ms(at(&all, 50)),
        ms(at(&all, 99)),
        ms(at(&all, 100)),
    );
}
