//! Lines of shells' start files that leave a program running: seen, and changed by nobody but their writer.

use jolly_disk::Kind;

use crate::computer::{AccountName, TargetPath};
use crate::survey::programs::{below, place};
use crate::survey::startup::{Found, Look, StartSource};

/// What shells read at sign-in, below a home.
const OWN: [&str; 7] = [
    ".profile",
    ".bash_profile",
    ".bash_login",
    ".zprofile",
    ".zlogin",
    ".xprofile",
    ".xsessionrc",
];

pub(super) fn look(look: &mut Look<'_>) {
    let target = look.target;
    for account in &target.accounts {
        for name in OWN {
            read(
                look,
                &below(&account.home, name.as_bytes()),
                Some(&account.name),
            );
        }
    }
    for (name, kind) in look.names(&place("etc/profile.d")) {
        if kind == Kind::File {
            read(look, &below(&place("etc/profile.d"), &name), None);
        }
    }
}

fn read(look: &mut Look<'_>, file: &TargetPath, account: Option<&AccountName>) {
    let Some(text) = look.text(file) else {
        return;
    };
    for line in text.lines().map(str::trim) {
        // A command that goes on in the background ends so.
        let Some(command) = line.strip_suffix('&').filter(|rest| !rest.ends_with('&')) else {
            continue;
        };
        let command = command.trim();
        if line.starts_with('#') || command.is_empty() || look.is_over() {
            continue;
        }
        let program = command
            .split_whitespace()
            .find(|word| !word.contains('=') && *word != "nohup" && *word != "exec");
        let program = program.filter(|word| !word.contains(['$', '`', '(', '~', '"', '\'']));
        let hash = blake3::hash(line.as_bytes()).to_hex();
        let file_name = String::from_utf8_lossy(file.name()).into_owned();
        let key = format!("{file_name}:{}", hash.get(..8).unwrap_or_default());
        look.add(&Found {
            source: StartSource::Shell,
            account,
            key: &key,
            name: program.map_or(command, |word| word.rsplit('/').next().unwrap_or(word)),
            command,
            program: program.filter(|word| word.starts_with('/')),
            says: None,
            file,
            is_on: true,
            switch: Err("a line of a shell's start file: whoever wrote it changes it there"),
        });
    }
}
