//! Lines of crontabs that run at boot (`@reboot`, `crontab(5)`).

use jolly_disk::Kind;

use crate::computer::{AccountName, TargetPath};
use crate::format::startup_files::crontab;
use crate::survey::programs::{below, place};
use crate::survey::startup::{Found, Look, StartSource, Switch};

pub(super) fn look(look: &mut Look<'_>) {
    let target = look.target;
    for folder in ["var/spool/cron/crontabs", "var/spool/cron"] {
        for (name, kind) in look.names(&place(folder)) {
            if kind != Kind::File {
                continue;
            }
            let mut accounts = target.accounts.iter().map(|account| &account.name);
            let account = accounts.find(|account| account.as_bytes() == name);
            read(look, &below(&place(folder), &name), account, false);
        }
    }
    read(look, &place("etc/crontab"), None, true);
    for (name, kind) in look.names(&place("etc/cron.d")) {
        if kind == Kind::File {
            read(look, &below(&place("etc/cron.d"), &name), None, true);
        }
    }
}

fn read(look: &mut Look<'_>, file: &TargetPath, account: Option<&AccountName>, names_user: bool) {
    let Some(bytes) = look.read(file) else {
        return;
    };
    for found in crontab::at_boot(&bytes, names_user) {
        if look.is_over() {
            return;
        }
        let hash = blake3::hash(&found.line).to_hex();
        let file_name = String::from_utf8_lossy(file.name()).into_owned();
        let key = format!("{file_name}:{}", hash.get(..8).unwrap_or_default());
        let program = found.command.split_whitespace().next();
        let program = program.filter(|word| !word.contains(['$', '`', '(', '=', '~']));
        let name = program.map_or("@reboot", |word| word.rsplit('/').next().unwrap_or(word));
        look.add(&Found {
            source: StartSource::Cron,
            account,
            key: &key,
            name,
            command: &found.command,
            program: program.filter(|word| word.starts_with('/')),
            says: None,
            file,
            is_on: found.is_on,
            switch: Ok(Switch::CronLine {
                file: file.clone(),
                line: found.line.clone(),
            }),
        });
    }
}
