//! The program of the demo computer that runs while it is looked at.

use std::fs::File;
use std::io;
use std::os::unix::fs::symlink;
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// What it is called.
const NAME: &str = "knotbook";

/// The file that it holds open.
pub(crate) const HELD: &str = "tmp/knotbook-session.tmp";

/// What plays it: it waits for words that never come, and ends when whoever would say them does.
const PLAYED_BY: &str = "/bin/cat";

/// The program, as long as this lives.
#[derive(Debug)]
pub struct Program(Played);

#[derive(Debug)]
enum Played {
    By(Child),
    /// Where there is nothing to play it, this process holds the file itself.
    Ourselves(#[expect(dead_code, reason = "it is held, not used")] File),
}

impl Program {
    /// Starts it on a demo computer; only the till has one. `stage` is a folder outside of it for what
    /// playing it needs.
    ///
    /// # Errors
    /// When the file that it holds can't be opened.
    pub fn start(root: &Path, stage: &Path) -> io::Result<Option<Self>> {
        // To write, as it would: what we have open only to read is in nobody's use.
        let held = match File::options().append(true).open(root.join(HELD)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            opened => opened?,
        };
        let played = play(&held, stage).map_or_else(|_| Played::Ourselves(held), Played::By);
        Ok(Some(Self(played)))
    }
}

fn play(held: &File, stage: &Path) -> io::Result<Child> {
    // A process is called as the file that it was started from.
    let called = stage.join(NAME);
    symlink(PLAYED_BY, &called)?;
    Command::new(&called)
        .arg0(PLAYED_BY)
        .stdin(Stdio::piped())
        .stdout(held.try_clone()?)
        .stderr(Stdio::null())
        .spawn()
}

impl Drop for Program {
    fn drop(&mut self) {
        if let Played::By(child) = &mut self.0 {
            // One that has ended by itself needs neither.
            drop(child.kill());
            drop(child.wait());
        }
    }
}
