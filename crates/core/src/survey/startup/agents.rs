//! Launch agents and daemons of macOS, and the lists that turn them off.

use std::collections::HashMap;

use jolly_disk::Kind;

use crate::computer::{AccountName, TargetPath};
use crate::format::PropertyList;
use crate::format::startup_files::alias_record;
use crate::format::startup_files::launchd::{self, Agent};
use crate::survey::folders::folders;
use crate::survey::programs::below;
use crate::survey::startup::{Found, Look, SYSTEM_PART, StartSource, Switch};

/// Where the lists lie.
const LISTS: &str = "private/var/db/com.apple.xpc.launchd";

pub(super) fn look(look: &mut Look<'_>) {
    let target = look.target;
    let root = TargetPath::root();
    let lists = folders(target, &root, LISTS).into_iter().next();
    let list = |name: &str| lists.as_ref().map(|folder| below(folder, name.as_bytes()));
    let of_system = list("disabled.plist");
    let mut known: HashMap<TargetPath, Option<Vec<u8>>> = HashMap::new();
    for (path, source) in [
        ("Library/LaunchDaemons", StartSource::LaunchDaemon),
        ("Library/LaunchAgents", StartSource::LaunchAgent),
    ] {
        for folder in folders(target, &root, path) {
            look_in(
                look,
                &folder,
                (source, None),
                (of_system.as_ref(), &mut known),
            );
        }
    }
    for account in &target.accounts {
        let own = list(&format!("disabled.{}.plist", account.user));
        for folder in folders(target, &account.home, "Library/LaunchAgents") {
            let whose = (StartSource::LaunchAgent, Some(&account.name));
            look_in(look, &folder, whose, (own.as_ref(), &mut known));
        }
        for folder in folders(target, &account.home, "Library/Preferences") {
            login_items(look, &folder, &account.name);
        }
    }
}

/// Login items at most of one account.
const MOST_ITEMS: usize = 500;

/// The list of login items that systems before the sealed one kept as a file: each with its name, and most with an alias
/// record.
fn login_items(look: &mut Look<'_>, folder: &TargetPath, account: &AccountName) {
    let file = below(folder, b"com.apple.loginitems.plist");
    let Some(bytes) = look.read(&file) else {
        return;
    };
    let Ok(list) = PropertyList::read(&bytes) else {
        let why = "it is no property list".to_owned();
        look.found.unread.push((file, why));
        return;
    };
    for at in 0..MOST_ITEMS {
        let item = format!("SessionItems/CustomListItems/{at}");
        let name = list.text(&format!("{item}/Name"));
        let Some(name) = name.filter(|_| !look.is_over()) else {
            return;
        };
        let alias = list.data(&format!("{item}/Alias"));
        let leads_to = alias.and_then(alias_record::path_of);
        // An alias finds a file that was moved by its number, too: a path that is gone proves nothing.
        let program = leads_to.as_deref().filter(|path| !look.program(path).0);
        look.add(&Found {
            source: StartSource::LoginItem,
            account: Some(account),
            key: name,
            name,
            command: leads_to.as_deref().unwrap_or_default(),
            program,
            says: None,
            file: &file,
            is_on: true,
            switch: Err("its list is its system's own; that account's settings turn it off"),
        });
    }
}

fn look_in(
    look: &mut Look<'_>,
    folder: &TargetPath,
    (source, account): (StartSource, Option<&AccountName>),
    (list, known): (
        Option<&TargetPath>,
        &mut HashMap<TargetPath, Option<Vec<u8>>>,
    ),
) {
    for (name, kind) in look.names(folder) {
        if !name.ends_with(b".plist") || kind != Kind::File || look.is_over() {
            continue;
        }
        let file = below(folder, &name);
        let Some(bytes) = look.read(&file) else {
            continue;
        };
        let Ok(agent) = Agent::read(&bytes) else {
            let why = "it is no property list".to_owned();
            look.found.unread.push((file, why));
            continue;
        };
        let key = String::from_utf8_lossy(&name).into_owned();
        let list_bytes = list.and_then(|list| {
            let read = || look.read(list);
            known.entry(list.clone()).or_insert_with(read).clone()
        });
        let said = list_bytes.map(|bytes| launchd::is_off(&bytes, &agent.label));
        let (is_off, switch) = match (said, list) {
            (Some(Err(_)), _) => (
                agent.is_disabled,
                Err("the list of what is off can't be read"),
            ),
            _ if agent.label.is_empty() => (agent.is_disabled, Err("it has no label")),
            (_, None) => (
                agent.is_disabled,
                Err("where macOS keeps what is off isn't on this disk"),
            ),
            (said, Some(list)) => {
                let off = said
                    .and_then(Result::ok)
                    .flatten()
                    .unwrap_or(agent.is_disabled);
                let mark = Switch::Mark {
                    list: list.clone(),
                    label: agent.label.clone(),
                };
                (off, Ok(mark))
            }
        };
        let is_system = agent.label.starts_with("com.apple.");
        let name = if agent.label.is_empty() {
            &key
        } else {
            &agent.label
        };
        look.add(&Found {
            source,
            account,
            key: &key,
            name,
            command: &agent.command,
            program: agent
                .program
                .as_deref()
                .filter(|program| program.starts_with('/')),
            says: None,
            file: &file,
            is_on: !is_off,
            switch: if is_system { Err(SYSTEM_PART) } else { switch },
        });
    }
}
