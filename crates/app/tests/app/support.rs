//! The demo computer in a folder of its own, and the real binary on it.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};

use serde_json::Value;

/// The binary under test.
pub(crate) const PROGRAM: &str = env!("CARGO_BIN_EXE_jolly-broom");

/// A demo computer, built by the binary itself, with a state folder beside it.
pub(crate) struct Demo {
    dir: tempfile::TempDir,
}

/// How a command ended.
pub(crate) struct Ended {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Ended {
    fn of(output: &Output) -> Self {
        Self {
            code: output.status.code().unwrap_or(-1),
            out: String::from_utf8_lossy(&output.stdout).into_owned(),
            err: String::from_utf8_lossy(&output.stderr).into_owned(),
        }
    }

    /// The one JSON object that was printed.
    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}: {}", self.out))
    }

    /// The JSON objects that were printed, one a line.
    pub(crate) fn lines(&self) -> Vec<Value> {
        self.out
            .lines()
            .map(|line| serde_json::from_str(line).unwrap())
            .collect()
    }
}

/// An ordinary person can't throw the demo's locked folder away as it stands.
impl Drop for Demo {
    fn drop(&mut self) {
        drop(jolly_demo::make_removable(&self.root()));
    }
}

impl Demo {
    pub(crate) fn new() -> Self {
        let demo = Self {
            dir: tempfile::tempdir().unwrap(),
        };
        let built = demo.bare(&["demo", "--build", demo.root().to_str().unwrap()]);
        assert_eq!(built.code, 0, "{}", built.err);
        demo
    }

    /// A folder of its own with nothing in it.
    pub(crate) fn empty() -> Self {
        Self {
            dir: tempfile::tempdir().unwrap(),
        }
    }

    /// A demo computer of another layout.
    pub(crate) fn of_layout(layout: &str) -> Self {
        let demo = Self {
            dir: tempfile::tempdir().unwrap(),
        };
        let root = demo.root();
        let built = demo.bare(&[
            "demo",
            "--layout",
            layout,
            "--build",
            root.to_str().unwrap(),
        ]);
        assert_eq!(built.code, 0, "{}", built.err);
        demo
    }

    pub(crate) fn dir(&self) -> &Path {
        self.dir.path()
    }

    pub(crate) fn root(&self) -> PathBuf {
        self.dir.path().join("till")
    }

    pub(crate) fn state(&self) -> PathBuf {
        self.dir.path().join("state")
    }

    /// Runs the program with just these arguments.
    pub(crate) fn bare(&self, arguments: &[&str]) -> Ended {
        let output = Command::new(PROGRAM)
            .args(arguments)
            .env_clear()
            .env("HOME", self.dir.path())
            .output()
            .unwrap();
        Ended::of(&output)
    }

    /// Starts the program on the demo computer; nobody waits for it or reads what it says.
    pub(crate) fn begin(&self, arguments: &[&str]) -> Child {
        Command::new(PROGRAM)
            .args(arguments)
            .arg("--target")
            .arg(self.root())
            .arg("--state")
            .arg(self.state())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    }

    /// Runs the program on the demo computer.
    pub(crate) fn run(&self, arguments: &[&str]) -> Ended {
        let (root, state) = (self.root(), self.state());
        let place = [
            "--target",
            root.to_str().unwrap(),
            "--state",
            state.to_str().unwrap(),
        ];
        self.bare(&[arguments, &place[..]].concat())
    }

    /// How many names there are below the root.
    pub(crate) fn names(&self) -> usize {
        let mut count = 0;
        let mut waiting = vec![self.root()];
        while let Some(folder) = waiting.pop() {
            for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
                count += 1;
                if entry.file_type().unwrap().is_dir() {
                    waiting.push(entry.path());
                }
            }
        }
        count
    }
}
