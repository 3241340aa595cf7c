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

/// Has the manager of the system, or that of an account by its name and number, read its units again; whether it did. Where
/// none runs the files alone say it: none is started for this.
pub fn reload_units(account: Option<(&str, u32)>) -> bool {
    let tool = TOOLS.iter().find(|path| Path::new(path).exists());
    let of_account = account.map(|(_, number)| format!("/run/user/{number}/systemd"));
    let runs = |path: &str| Path::new(path).is_dir();
    let is_there = runs(RUNS) && of_account.is_none_or(|path| runs(&path));
    let Some(tool) = tool.filter(|_| is_there) else {
        return false;
    };
    let asked = Command::new(tool)
        .args(arguments(account.map(|(name, _)| name)))
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
        assert!(!reload_units(Some(("nobody of that name", u32::MAX))));
    }
}
