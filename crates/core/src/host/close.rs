//! Asking a running program to close, as its own menu would.

use std::io;
use std::time::Duration;

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::process::{Pid, PidfdFlags, Signal, pidfd_open, pidfd_send_signal};

use crate::host::RunningProgram;

/// What became of asking.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Asked {
    /// The program has closed.
    Closed,
    /// It was asked, and still runs: it may ask something on its own screen.
    StillRuns,
}

/// Sends one terminate signal (signal(7)) to exactly the process that was shown, and waits so long for
/// it to end. It is never killed.
///
/// # Errors
/// When the process is gone, or another one has its number now; when it is this program, the first
/// process or none at all; or when this account may not ask it.
pub fn ask_to_close(program: &RunningProgram, patience: Duration) -> io::Result<Asked> {
    let gone = || io::Error::new(io::ErrorKind::NotFound, "it no longer runs");
    let number = i32::try_from(program.process).unwrap_or_default();
    let is_ours = program.process == std::process::id();
    let pid = Pid::from_raw(number).filter(|_| number > 1 && !is_ours && program.started > 0);
    let pid = pid.ok_or_else(|| io::Error::other("it is no program that may be closed"))?;
    // From here on the number can't come to mean another process unseen.
    let process = pidfd_open(pid, PidfdFlags::empty())?;
    if started(program.process) != Some(program.started) {
        return Err(gone());
    }
    pidfd_send_signal(&process, Signal::TERM)?;
    let mut waits = [PollFd::new(&process, PollFlags::IN)];
    let seconds = i64::try_from(patience.as_secs()).unwrap_or(i64::MAX);
    let patience = Timespec {
        tv_sec: seconds,
        tv_nsec: i64::from(patience.subsec_nanos()),
    };
    let ended = poll(&mut waits, Some(&patience))?;
    Ok(if ended > 0 {
        Asked::Closed
    } else {
        Asked::StillRuns
    })
}

/// When a process began, in ticks since this machine started (`proc_pid_stat(5)`, field 22).
pub(crate) fn started(process: u32) -> Option<u64> {
    let text = std::fs::read(format!("/proc/{process}/stat")).ok()?;
    // The name stands in brackets and may hold anything, brackets too.
    let after = text.iter().rposition(|byte| *byte == b')')?;
    let fields = std::str::from_utf8(text.get(after + 1..)?).ok()?;
    fields.split_whitespace().nth(19)?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_very_process_that_was_shown_is_asked() {
        let mut child = std::process::Command::new("sleep")
            .arg("60")
            .spawn()
            .unwrap();
        let mut program = RunningProgram {
            process: child.id(),
            program: "sleep".to_owned(),
            started: started(child.id()).unwrap(),
        };
        let patience = Duration::from_secs(20);
        program.started += 1;
        assert!(ask_to_close(&program, patience).is_err(), "another process");
        assert!(child.try_wait().unwrap().is_none());
        program.started -= 1;
        assert_eq!(ask_to_close(&program, patience).unwrap(), Asked::Closed);
        assert!(!child.wait().unwrap().success());
        assert!(ask_to_close(&program, patience).is_err(), "it is gone");
        for process in [0, 1, std::process::id(), u32::MAX] {
            let started = started(process).unwrap_or(1);
            let program = RunningProgram {
                process,
                program: String::new(),
                started,
            };
            assert!(ask_to_close(&program, Duration::ZERO).is_err(), "{process}");
        }
    }
}
