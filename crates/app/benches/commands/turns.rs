//! Whole processes in turn, and what they took.

use std::io;
use std::process::{Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::Failure;

/// One command, and how its tree is made before each run.
pub(crate) struct Contender<'a> {
    pub name: &'a str,
    pub prepare: &'a dyn Fn() -> Result<(), Failure>,
    pub command: &'a dyn Fn() -> Command,
}

/// What a process took.
#[derive(Clone, Copy)]
pub(crate) struct Took {
    pub time: Duration,
    /// The most memory that it held, in bytes.
    pub peak: u64,
}

/// Runs each in every round, in an order that moves on; prints medians, and how each stands to the first
/// within one round.
pub(crate) fn in_turn(rounds: usize, contenders: &[Contender<'_>]) -> Result<(), Failure> {
    let mut times: Vec<Vec<f64>> = vec![Vec::new(); contenders.len()];
    // The first round only warms.
    for round in 0..=rounds {
        for turn in 0..contenders.len() {
            let at = (round + turn) % contenders.len();
            let (Some(one), Some(its)) = (contenders.get(at), times.get_mut(at)) else {
                continue;
            };
            (one.prepare)()?;
            let took = run(&mut (one.command)())?;
            if round > 0 {
                its.push(took.time.as_secs_f64());
            }
        }
    }
    let first = times.first().cloned().unwrap_or_default();
    for (one, its) in contenders.iter().zip(&times) {
        let mut ratios: Vec<f64> = its.iter().zip(&first).map(|(own, of)| own / of).collect();
        ratios.sort_unstable_by(f64::total_cmp);
        let (least, most) = (ratios.first().copied(), ratios.last().copied());
        println!(
            "  {:<22} {:9.1} ms   {:5.2}  ({:.2} to {:.2})",
            one.name,
            median(its.clone()) * 1e3,
            median(ratios.clone()),
            least.unwrap_or_default(),
            most.unwrap_or_default(),
        );
    }
    Ok(())
}

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_unstable_by(f64::total_cmp);
    all.get(all.len() / 2).copied().unwrap_or_default()
}

/// Runs a process to its end; what it prints goes nowhere.
pub(crate) fn run(command: &mut Command) -> Result<Took, Failure> {
    command.stdin(Stdio::null()).stdout(Stdio::null());
    let began = Instant::now();
    let mut child = command.spawn()?;
    let id = child.id();
    let watch = thread::spawn(move || {
        let mut peak = 0;
        // The kernel keeps the most that it was, until the process has ended.
        while let Some(now) = peak_of(id) {
            peak = now;
            thread::sleep(Duration::from_millis(20));
        }
        peak
    });
    let status = child.wait()?;
    let time = began.elapsed();
    let peak = watch.join().unwrap_or_default();
    if status.success() {
        Ok(Took { time, peak })
    } else {
        Err(io::Error::other(format!("{command:?} ended with {status}")).into())
    }
}

/// What `proc(5)` tells of the most memory of a process, in bytes.
fn peak_of(process: u32) -> Option<u64> {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    let number = line.split_ascii_whitespace().nth(1)?;
    Some(number.parse::<u64>().ok()? * 1024)
}
