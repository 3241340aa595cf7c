//! A terminal for tests: one tmux server a test, on its own socket; no terminal of ours needed.

use std::process::{Command, Output};
use std::thread::sleep;
use std::time::{Duration, Instant};

/// How long a screen is waited for. A machine that tests share with builds can take tens of seconds
/// for what takes one alone.
const PATIENCE: Duration = Duration::from_secs(90);

/// How often a screen that is as wanted is captured once more; what moves all the time never holds still.
const STILL: usize = 5;

/// A terminal with a program in it.
pub(crate) struct Term {
    dir: tempfile::TempDir,
}

impl Term {
    pub(crate) fn start(size: (u16, u16), env: &[(&str, &str)], argv: &[&str]) -> Self {
        // Short, for the path of a socket has less than 108 bytes.
        let dir = tempfile::Builder::new().prefix("tm").tempdir().unwrap();
        let conf = "set -g status off\nset -g default-terminal tmux-256color\n\
            set -as terminal-features ',*:RGB'\nset -s escape-time 0\nset -g remain-on-exit on\n\
            set -g history-limit 0\n";
        std::fs::write(dir.path().join("conf"), conf).unwrap();
        let term = Self { dir };
        let (columns, rows) = (size.0.to_string(), size.1.to_string());
        let mut arguments = vec!["new-session", "-d", "-x", &columns, "-y", &rows];
        let variables: Vec<String> = env
            .iter()
            .map(|(key, value)| format!("{key}={value}"))
            .collect();
        for variable in &variables {
            arguments.extend(["-e", variable.as_str()]);
        }
        arguments.push("--");
        arguments.extend(argv);
        term.run(&arguments);
        term
    }

    fn tmux(&self, arguments: &[&str]) -> Output {
        Command::new("tmux")
            // UTF-8 whatever LANG says: a build machine often has none.
            .arg("-u")
            .arg("-S")
            .arg(self.dir.path().join("s"))
            .arg("-f")
            .arg(self.dir.path().join("conf"))
            .args(arguments)
            .env_remove("TMUX")
            .output()
            .expect("tmux is needed: apt-get install tmux")
    }

    fn run(&self, arguments: &[&str]) -> String {
        let output = self.tmux(arguments);
        let error = String::from_utf8_lossy(&output.stderr);
        assert!(output.status.success(), "tmux {arguments:?}: {error}");
        String::from_utf8(output.stdout).unwrap()
    }

    /// Presses keys by their tmux names.
    pub(crate) fn keys(&self, keys: &[&str]) {
        self.run(&[&["send-keys", "--"], keys].concat());
        // A key that follows at once would be read as one with Alt held down.
        if keys.last() == Some(&"Escape") {
            sleep(Duration::from_millis(300));
        }
    }

    /// Types text.
    pub(crate) fn text(&self, text: &str) {
        self.run(&["send-keys", "-l", "--", text]);
    }

    pub(crate) fn resize(&self, columns: u16, rows: u16) {
        self.run(&[
            "resize-window",
            "-x",
            &columns.to_string(),
            "-y",
            &rows.to_string(),
        ]);
    }

    pub(crate) fn screen(&self) -> String {
        self.run(&["capture-pane", "-p"])
    }

    /// The screen with its colours as escape sequences.
    pub(crate) fn colours(&self) -> String {
        self.run(&["capture-pane", "-p", "-e"])
    }

    /// Whether the program listens to the mouse: "1" or "0".
    pub(crate) fn mouse_mode(&self) -> String {
        let flags = "#{mouse_any_flag}";
        self.run(&["display-message", "-p", flags])
            .trim()
            .to_owned()
    }

    /// Waits until the screen is as wanted.
    pub(crate) fn wait(&self, what: &str, is_there: impl Fn(&str) -> bool) -> String {
        let end = Instant::now() + PATIENCE;
        loop {
            let screen = self.screen();
            if is_there(&screen) {
                return self.drawn_whole(screen, is_there);
            }
            assert!(
                Instant::now() < end,
                "waited for {what}; the screen was:\n{screen}"
            );
            sleep(Duration::from_millis(20));
        }
    }

    /// The screen once it holds still: what is captured while a frame arrives is the upper half of one.
    fn drawn_whole(&self, mut screen: String, is_there: impl Fn(&str) -> bool) -> String {
        for _ in 0..STILL {
            sleep(Duration::from_millis(20));
            let again = self.screen();
            if again == screen || !is_there(&again) {
                break;
            }
            screen = again;
        }
        screen
    }

    pub(crate) fn wait_text(&self, text: &str) -> String {
        self.wait(text, |screen| screen.contains(text))
    }

    /// The exit status of the program, once it has ended.
    pub(crate) fn status(&self) -> i32 {
        let end = Instant::now() + PATIENCE;
        loop {
            // A job of its own makes tmux reap its children; it can lose the signal otherwise, also
            // that of this job, so nobody waits for it.
            self.run(&["run-shell", "-b", "true"]);
            let text = self.run(&["display-message", "-p", "#{pane_dead_status}"]);
            if let Ok(status) = text.trim().parse() {
                return status;
            }
            assert!(Instant::now() < end, "still running:\n{}", self.screen());
            sleep(Duration::from_millis(20));
        }
    }
}

impl Drop for Term {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}
