//! What a disk says of its own health, by the tool that asks it (smartctl(8)); nothing where there is none.

use std::path::Path;
use std::time::Duration;

use serde::Deserialize;

use crate::cancel::CancelToken;
use crate::host::{Mount, Tool};

/// Where its tool lies.
const TOOL: [&str; 3] = ["/usr/sbin/smartctl", "/sbin/smartctl", "/usr/bin/smartctl"];

/// How long a disk may take to answer: some that hang on an adapter never do.
const PATIENCE: Duration = Duration::from_secs(3);

#[derive(Deserialize)]
struct Answered {
    smart_status: Option<Status>,
}

#[derive(Deserialize)]
struct Status {
    passed: bool,
}

/// The disk of a mounted volume, if it says itself that it is failing.
pub(crate) fn failing_disk(mount: &Mount, cancel: &CancelToken) -> Option<String> {
    let own = std::fs::canonicalize(Path::new("/sys/dev/block").join(&mount.volume)).ok()?;
    let disk = if own.join("partition").exists() {
        own.parent()?
    } else {
        &own
    };
    // What is no disk of its own has no health.
    if !disk.join("device").exists() {
        return None;
    }
    let name = disk.file_name()?.to_str()?;
    let device = format!("/dev/{name}");
    // One that rests isn't woken for it.
    let words = ["--json", "--health", "--nocheck=standby", &device];
    let answer = Tool::at(&TOOL, &words)?.ask_until(cancel, PATIENCE).ok()?;
    says_it_fails(&answer.text).then_some(device)
}

fn says_it_fails(text: &str) -> bool {
    let answered = serde_json::from_str::<Answered>(text).ok();
    let status = answered.and_then(|answered| answered.smart_status);
    status.is_some_and(|status| !status.passed)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_a_disk_says_itself_counts() {
        let told = |status: &str| format!(r#"{{"device": {{"name": "/dev/sdb"}}{status}}}"#);
        assert!(says_it_fails(&told(
            r#", "smart_status": {"passed": false}"#
        )));
        assert!(!says_it_fails(&told(
            r#", "smart_status": {"passed": true}"#
        )));
        assert!(!says_it_fails(&told("")) && !says_it_fails("no json"));
    }
}
