//! The programs of the demo computer that run while it is looked at.

use std::fs::File;
use std::io;
use std::os::unix::fs::symlink;
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// The file that the bookings hold open.
pub(crate) const HELD: &str = "tmp/knotbook-session.tmp";

/// What the programs are called, and the file that each holds open: the bookings, and the browser of joss.
const PROGRAMS: [(&str, &str); 2] = [
    ("knotbook", HELD),
    ("heron", "home/joss/.config/heron/Default/Cookies"),
];

/// What plays them: it waits for words that never come, and ends when whoever would say them does.
const PLAYED_BY: &str = "/bin/cat";

/// The programs, as long as this lives.
#[derive(Debug)]
pub struct Program(Vec<Played>);

#[derive(Debug)]
enum Played {
    By(Child),
    /// Where there is nothing to play it, this process holds the file itself.
    Ourselves(#[expect(dead_code, reason = "it is held, not used")] File),
}

impl Program {
    /// Starts them on a demo computer; only the till has any. `stage` is a folder outside of it for what
    /// playing them needs.
    ///
    /// # Errors
    /// When a file that one holds can't be opened.
    pub fn start(root: &Path, stage: &Path) -> io::Result<Option<Self>> {
        let mut all = Vec::new();
        for (name, file) in PROGRAMS {
            // To write, as it would: what we have open only to read is in nobody's use.
            let held = match File::options().append(true).open(root.join(file)) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
                opened => opened?,
            };
            let played = play(&held, &stage.join(name));
            all.push(played.map_or_else(|_| Played::Ourselves(held), Played::By));
        }
        Ok((!all.is_empty()).then_some(Self(all)))
    }
}

fn play(held: &File, called: &Path) -> io::Result<Child> {
    // A process is called as the file that it was started from.
    symlink(PLAYED_BY, called)?;
    Command::new(called)
        .arg0(PLAYED_BY)
        .stdin(Stdio::piped())
        .stdout(held.try_clone()?)
        .stderr(Stdio::null())
        .spawn()
}

impl Drop for Program {
    fn drop(&mut self) {
        for played in &mut self.0 {
            if let Played::By(child) = played {
                // One that has ended by itself needs neither.
                drop(child.kill());
                drop(child.wait());
            }
        }
    }
}
