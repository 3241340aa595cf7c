//! Tools of the running system, started by their whole path and with nothing of our environment but what they need.

use std::fmt;
use std::io::{self, Read as _};
use std::os::fd::{AsFd, OwnedFd};
use std::path::Path;
use std::process::{Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

use crate::cancel::CancelToken;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{Mode, OFlags, open};
use rustix::io::Errno;
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};

/// Where system tools look for others.
const PATH: &str = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";

/// More is not read of what a tool answers.
const MOST_ANSWERED: u64 = 4 << 20;

/// How long a tool may take to answer.
const PATIENCE: Duration = Duration::from_mins(2);

/// How often somebody who waits for a tool looks around.
const LOOK: Duration = Duration::from_millis(40);

/// The same at its start: most answer at once.
const SHORTEST_LOOK: Duration = Duration::from_millis(1);

/// A tool with its arguments.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Tool {
    /// Its whole path.
    pub path: String,
    /// What it is told.
    pub arguments: Vec<String>,
    /// What of our environment it needs beside.
    pub shares: &'static [&'static str],
}

/// What is said to and fro while a tool runs on a terminal of its own.
pub struct Talk<'a> {
    /// What is typed next.
    pub typed: &'a mut dyn FnMut() -> Option<Vec<u8>>,
    /// Hears what the tool writes.
    pub wrote: &'a mut dyn FnMut(&[u8]),
    /// Whether nobody waits for it any more: then it is killed.
    pub is_given_up: &'a dyn Fn() -> bool,
}

/// What a tool answered.
#[derive(Clone, Debug)]
pub struct Answer {
    /// How it ended.
    pub status: ExitStatus,
    /// What it wrote to its output.
    pub text: String,
    /// What it wrote of errors.
    pub errors: String,
}

impl fmt::Display for Tool {
    /// As a person would type it.
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(self.path.rsplit('/').next().unwrap_or(&self.path))?;
        self.arguments
            .iter()
            .try_for_each(|argument| write!(out, " {argument}"))
    }
}

impl Tool {
    /// A tool at the first of these paths where there is one.
    pub(crate) fn at(paths: &[&str], arguments: &[&str]) -> Option<Self> {
        let path = paths.iter().find(|path| Path::new(path).is_file())?;
        let arguments = arguments.iter().map(|text| (*text).to_owned());
        Some(Self {
            path: (*path).to_owned(),
            arguments: arguments.collect(),
            shares: &[],
        })
    }

    /// The same, with these variables of our environment.
    pub(crate) fn sharing(self, shares: &'static [&'static str]) -> Self {
        Self { shares, ..self }
    }

    fn command(&self, before: &[&str]) -> Command {
        let words: Vec<&str> = before.iter().copied().chain([&*self.path]).collect();
        let mut command = Command::new(words.first().copied().unwrap_or_default());
        command
            .args(words.get(1..).unwrap_or_default())
            .args(&self.arguments)
            .env_clear()
            .env("PATH", PATH)
            .env("LC_ALL", "C.UTF-8")
            .env("PAGER", "cat");
        let always = ["HOME", "USER", "LOGNAME", "XDG_RUNTIME_DIR"];
        for name in always.iter().chain(self.shares) {
            if let Some(value) = std::env::var_os(name) {
                command.env(name, value);
            }
        }
        command.current_dir("/");
        command
    }

    /// Asks it something that changes nothing.
    ///
    /// # Errors
    /// When it can't be started or doesn't answer in time; then it is killed.
    pub fn ask(&self) -> io::Result<Answer> {
        self.ask_until(&CancelToken::default(), PATIENCE)
    }

    /// The same, for so long at most, and until it is cancelled.
    ///
    /// # Errors
    /// As of [`Self::ask`]; and when it was cancelled, which kills it, too.
    pub(crate) fn ask_until(&self, cancel: &CancelToken, patience: Duration) -> io::Result<Answer> {
        let mut command = self.command(&[]);
        // Dates in what it answers are read by us.
        command.env("TZ", "UTC");
        command.stdin(Stdio::null()).stdout(Stdio::piped());
        let mut child = command.stderr(Stdio::piped()).spawn()?;
        let (text, errors) = (child.stdout.take(), child.stderr.take());
        let text = std::thread::spawn(move || text.map(read_some).unwrap_or_default());
        let errors = std::thread::spawn(move || errors.map(read_some).unwrap_or_default());
        let began = Instant::now();
        let status = loop {
            if let Some(status) = child.try_wait()? {
                break status;
            }
            if began.elapsed() > patience || cancel.is_cancelled() {
                child.kill()?;
                child.wait()?;
                return Err(io::Error::new(
                    io::ErrorKind::TimedOut,
                    format!("{self} didn't answer"),
                ));
            }
            std::thread::sleep(began.elapsed().clamp(SHORTEST_LOOK, LOOK));
        };
        let broke = |_| io::Error::other("what it said couldn't be read");
        Ok(Answer {
            status,
            text: text.join().map_err(broke)?,
            errors: errors.join().map_err(broke)?,
        })
    }

    /// Runs it on a terminal of its own of so many columns and rows; hands on what it writes, and to it what is typed. Whoever
    /// wants it to end types the interrupt; it is killed only once it is given up.
    ///
    /// # Errors
    /// When no terminal can be had, or it can't be started; `TimedOut` when it was given up.
    pub fn run(&self, (columns, rows): (u16, u16), talk: Talk<'_>) -> io::Result<ExitStatus> {
        let main = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC)?;
        grantpt(&main)?;
        unlockpt(&main)?;
        let size = Winsize {
            ws_row: rows.max(1),
            ws_col: columns.max(1),
            ws_xpixel: 0,
            ws_ypixel: 0,
        };
        tcsetwinsize(&main, size)?;
        let flags = OFlags::RDWR | OFlags::NOCTTY | OFlags::CLOEXEC;
        let side: OwnedFd = open(&ptsname(&main, Vec::new())?, flags, Mode::empty())?;
        let end = || side.try_clone().map(Stdio::from);
        // It takes the terminal as its own, so that the interrupt reaches it.
        let mut command = self.command(&["/usr/bin/setsid", "--ctty", "--wait"]);
        command.env("TERM", "xterm-256color");
        command.stdin(end()?).stdout(end()?).stderr(end()?);
        let mut child = command.spawn()?;
        // Each of them holds an end, and reading would never be over.
        drop((command, side));
        let talked = hand_to_and_fro(&main, talk);
        if let Err(error) = talked {
            child.kill()?;
            // What it has started itself hears that its terminal is gone.
            drop(main);
            child.wait()?;
            return Err(error);
        }
        child.wait()
    }
}

/// Hands bytes to and fro until the other side is closed.
fn hand_to_and_fro(main: &OwnedFd, talk: Talk<'_>) -> io::Result<()> {
    let Talk {
        typed,
        wrote,
        is_given_up,
    } = talk;
    let mut bytes = [0; 8192];
    let patience = Timespec {
        tv_sec: 0,
        tv_nsec: i64::from(LOOK.subsec_nanos()),
    };
    loop {
        if is_given_up() {
            return Err(io::Error::new(io::ErrorKind::TimedOut, "it was given up"));
        }
        while let Some(keys) = typed() {
            let mut rest = &keys[..];
            while !rest.is_empty() {
                let many = rustix::io::write(main, rest)?;
                rest = rest.get(many..).unwrap_or_default();
            }
        }
        let mut waits = [PollFd::from_borrowed_fd(main.as_fd(), PollFlags::IN)];
        match poll(&mut waits, Some(&patience)) {
            Ok(0) | Err(Errno::INTR) => continue,
            Ok(_) => {}
            Err(error) => return Err(error.into()),
        }
        match rustix::io::read(main, &mut bytes) {
            // The last one closed its end (pty(7)).
            Ok(0) | Err(Errno::IO) => return Ok(()),
            Ok(many) => wrote(bytes.get(..many).unwrap_or_default()),
            Err(Errno::INTR | Errno::AGAIN) => {}
            Err(error) => return Err(error.into()),
        }
    }
}

fn read_some(from: impl io::Read) -> String {
    let mut bytes = Vec::new();
    // What was read before a failure says what it says.
    drop(from.take(MOST_ANSWERED).read_to_end(&mut bytes));
    String::from_utf8_lossy(&bytes).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shell(script: &str) -> Tool {
        Tool::at(&["/bin/sh"], &["-c", script]).unwrap()
    }

    #[test]
    fn a_tool_talks_on_a_terminal_of_its_own_and_its_end_is_known() {
        let tool =
            shell("test -t 0 && test -t 2 && stty size && read name && echo hello $name; exit 7");
        let mut keys = vec![b"pia\n".to_vec()];
        let mut wrote = Vec::new();
        let status = tool
            .run(
                (100, 30),
                Talk {
                    typed: &mut || keys.pop(),
                    wrote: &mut |bytes| wrote.extend_from_slice(bytes),
                    is_given_up: &|| false,
                },
            )
            .unwrap();
        let text = String::from_utf8(wrote).unwrap();
        assert!(
            text.contains("30 100") && text.contains("hello pia"),
            "{text}"
        );
        assert_eq!(status.code(), Some(7));
    }

    #[test]
    fn the_interrupt_reaches_it() {
        // Whoever runs tests in the background has them begin deaf to it, and a shell can't trap what it was begun without.
        let script = "trap 'exit 9' INT; echo ready; while :; do sleep 0.1; done";
        let words = ["--default-signal=INT", "/bin/sh", "-c", script];
        let tool = Tool::at(&["/usr/bin/env"], &words).unwrap();
        let said = std::cell::Cell::new(false);
        let mut pressed: Option<Instant> = None;
        let status = tool
            .run(
                (80, 24),
                Talk {
                    // A shell that is about to start another program can miss one, so it is pressed again.
                    typed: &mut || {
                        let is_while = |last: Instant| last.elapsed() < Duration::from_millis(150);
                        let is_due = said.get() && !pressed.is_some_and(is_while);
                        is_due.then(|| {
                            pressed = Some(Instant::now());
                            vec![3]
                        })
                    },
                    wrote: &mut |bytes| {
                        said.set(said.get() || bytes.windows(5).any(|it| it == b"ready"));
                    },
                    is_given_up: &|| false,
                },
            )
            .unwrap();
        assert_eq!(status.code(), Some(9));
    }

    #[test]
    fn one_that_hears_nothing_is_killed_once_it_is_given_up() {
        let tool = shell("trap '' INT TERM HUP; while :; do sleep 1; done");
        let began = Instant::now();
        let ended = tool.run(
            (80, 24),
            Talk {
                typed: &mut || None,
                wrote: &mut |_| {},
                is_given_up: &|| began.elapsed() > Duration::from_millis(300),
            },
        );
        assert_eq!(ended.unwrap_err().kind(), io::ErrorKind::TimedOut);
        assert!(began.elapsed() < Duration::from_secs(20));
    }

    #[test]
    fn what_it_answers_comes_with_nothing_of_our_environment() {
        let answer = shell("echo $CARGO_PKG_NAME-$LC_ALL; echo no >&2; exit 3")
            .ask()
            .unwrap();
        assert_eq!(
            (answer.text.trim(), answer.errors.trim()),
            ("-C.UTF-8", "no")
        );
        assert_eq!(answer.status.code(), Some(3));
        assert!(Tool::at(&["/nowhere/tool"], &[]).is_none());
    }
}
