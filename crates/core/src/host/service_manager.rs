//! The service manager of this machine, told that units were enabled or disabled (systemctl(1), `daemon-reload`).

use std::path::Path;
use std::process::{Command, Stdio};

/// What is there while it runs (`sd_booted`(3)).
const RUNS: &str = "/run/systemd/system";

/// Where its tool lies.
const TOOLS: [&str; 2] = ["/usr/bin/systemctl", "/bin/systemctl"];

/// What the tool is told: of an account's units that account's own manager is asked.
fn arguments(account: Option<&str>) -> Vec<String> {
    let mut all = vec!["--quiet".to_owned(), "--no-ask-password".to_owned()];
    if let Some(account) = account {
        all.extend(["--user".to_owned(), format!("--machine={account}@.host")]);
    }
    all.push("daemon-reload".to_owned());
    all
}

/// Has the manager read its units again; whether it did. Where none runs, or nobody is signed in, the files alone say it.
pub fn reload_units(account: Option<&str>) -> bool {
    let tool = TOOLS.iter().find(|path| Path::new(path).exists());
    let Some(tool) = tool.filter(|_| Path::new(RUNS).is_dir()) else {
        return false;
    };
    let asked = Command::new(tool)
        .args(arguments(account))
        .env_clear()
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status();
    asked.is_ok_and(|status| status.success())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_accounts_units_are_its_own_managers() {
        assert_eq!(arguments(None).last().unwrap(), "daemon-reload");
        assert_eq!(
            arguments(Some("pia")),
            [
                "--quiet",
                "--no-ask-password",
                "--user",
                "--machine=pia@.host",
                "daemon-reload"
            ]
        );
        assert!(Path::new(RUNS).is_dir() || !reload_units(None));
    }
}
