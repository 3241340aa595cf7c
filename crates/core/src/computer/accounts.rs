//! The people of a target: its homes, whose they are, and when they were last used.

pub(super) mod account;
pub(super) mod account_name;
pub(super) mod personal;
pub(crate) mod user_dirs;

use std::collections::HashSet;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::places::find;
use crate::computer::{Account, AccountName, Layout, TargetPath, read_small};
use crate::format::Printable;

/// Folders among the homes that are nobody's, in small letters.
const NOBODYS: &[&str] = words! {
    "public" "default" "default user" "default.migrated" "all users" "shared" "guest" "lost+found" "deleted users"
};

/// Names that say that a folder beside the homes is a copy of one, in small letters.
const COPIES: &[&str] = words! {
    "backup" "backups" "bak" "old" "copy" "archive" "snapshots" "restore"
};

/// What is in every home that somebody signed in to, by layout; of these one is enough.
const SIGNS: [(Layout, &[&str]); 3] = [
    (
        Layout::Linux,
        words! {
            ".profile" ".bashrc" ".bash_profile" ".bash_history" ".bash_logout" ".zshrc" ".config" ".cache" ".local"
            ".var"
        },
    ),
    (
        Layout::Windows,
        &[
            "NTUSER.DAT",
            "AppData",
            "Application Data",
            "Local Settings",
        ],
    ),
    (Layout::Macos, &["Library", ".zsh_history", ".zprofile"]),
];

/// Files and folders of a home that change whenever somebody signs in or out, by layout.
const USED: [(Layout, &[&str]); 3] = [
    (
        Layout::Linux,
        &[".cache", ".config", ".local/share", ".local/state"],
    ),
    (
        Layout::Windows,
        &[
            "AppData/Local/Temp",
            "AppData/Local/Microsoft/Windows/UsrClass.dat",
            "AppData/Roaming/Microsoft/Windows/Recent",
        ],
    ),
    (
        Layout::Macos,
        &[
            "Library/Preferences",
            "Library/Caches",
            "Library/Saved Application State",
        ],
    ),
];

/// Finds the accounts of a target, by name.
pub(crate) fn find_accounts(disk: &dyn Disk, root: &Folder, layout: Layout) -> Vec<Account> {
    let mut accounts = match layout {
        Layout::Linux => of_passwd(disk, root),
        Layout::Windows => Vec::new(),
        Layout::Macos => of_home(disk, root, "private/var/root", "root"),
    };
    let homes: &[&str] = match layout {
        Layout::Linux => &["home/*"],
        Layout::Windows => &["Users/*", "Documents and Settings/*"],
        Layout::Macos => &["Users/*"],
    };
    let mut known: HashSet<TargetPath> = accounts.iter().map(|it| it.home.clone()).collect();
    let mut names: HashSet<AccountName> = accounts.iter().map(|it| it.name.clone()).collect();
    // Homes that no account file knows: of layouts without one, restored, of people long removed.
    for pattern in homes {
        let parts: Vec<&str> = pattern.split('/').collect();
        for home in find::folders(disk, root, &TargetPath::root(), &parts, layout) {
            let name = Printable(home.name()).to_string();
            let is_hidden = name.starts_with('.');
            let is_nobodys = NOBODYS.contains(&name.to_lowercase().as_str());
            let is_known = known.contains(&home) || names.contains(name.as_str());
            if !is_hidden
                && !is_nobodys
                && !is_known
                && !is_copy(&name)
                && looks_like_home(disk, root, layout, &home)
                && let Some(account) = account_of(disk, root, home, name)
            {
                known.insert(account.home.clone());
                names.insert(account.name.clone());
                accounts.push(account);
            }
        }
    }
    for account in &mut accounts {
        if layout == Layout::Windows {
            account.security_id = security_id(disk, root, &account.home);
        }
        account.last_used = last_used(disk, root, layout, account);
    }
    accounts.sort_by(|one, other| one.name.cmp(&other.name));
    accounts
}

/// Whether a folder beside the homes is called like a copy of one: a home that the account file doesn't know.
fn is_copy(name: &str) -> bool {
    let name = name.to_lowercase();
    let mut words = name.split(|letter: char| !letter.is_alphanumeric());
    words.any(|word| COPIES.contains(&word))
}

/// Whether somebody signed in there: a store of backups or of repositories beside the homes is nobody's home.
fn looks_like_home(disk: &dyn Disk, root: &Folder, layout: Layout, home: &TargetPath) -> bool {
    let Ok(folder) = disk.open_folder(root, home.as_bytes()) else {
        // Whoever can't look into it learns that when the rules do.
        return true;
    };
    let signs = SIGNS.iter().filter(|(of, _)| *of == layout);
    let signs = signs.flat_map(|(_, names)| *names);
    let mut is_there = false;
    let listed = disk.list(&folder, &mut |entry| {
        let name = entry.name.to_bytes();
        is_there = signs
            .clone()
            .any(|sign| layout.is_same_name(sign.as_bytes(), name));
        if is_there {
            ControlFlow::Break(())
        } else {
            ControlFlow::Continue(())
        }
    });
    is_there || listed.is_err()
}

fn of_passwd(disk: &dyn Disk, root: &Folder) -> Vec<Account> {
    let text = read_small(disk, root, b"etc", c"passwd").unwrap_or_default();
    let mut accounts = account::read_passwd(&text);
    accounts.retain(|account| {
        account_of(disk, root, account.home.clone(), account.name.to_string()).is_some()
    });
    accounts
}

fn of_home(disk: &dyn Disk, root: &Folder, home: &str, name: &str) -> Vec<Account> {
    TargetPath::new(home)
        .ok()
        .and_then(|home| account_of(disk, root, home, name.to_owned()))
        .into_iter()
        .collect()
}

fn account_of(disk: &dyn Disk, root: &Folder, home: TargetPath, name: String) -> Option<Account> {
    let parent = disk.open_folder(root, home.parent()?.as_bytes()).ok()?;
    let stat = disk.stat(&parent, home.as_name()).ok()?;
    (stat.kind == Kind::Folder).then_some(Account {
        name: name.into(),
        user: stat.user,
        home,
        security_id: None,
        last_used: None,
    })
}

/// The security identifier of a Windows account: the name of the folder in which its own
/// protected keys lie. Only that name is read.
fn security_id(disk: &dyn Disk, root: &Folder, home: &TargetPath) -> Option<String> {
    ["Protect/S-1-5-21-*", "Crypto/RSA/S-1-5-21-*"]
        .iter()
        .find_map(|pattern| {
            let mut parts = vec!["AppData", "Roaming", "Microsoft"];
            parts.extend(pattern.split('/'));
            let found = find::folders(disk, root, home, &parts, Layout::Windows);
            // Two of them may be left of an account that was moved here: then nobody knows.
            match &found[..] {
                [only] => String::from_utf8(only.name().to_vec()).ok(),
                _ => None,
            }
        })
}

/// When a home was last used: the newest change of what lies directly in it and of what changes
/// with every signing in; on linux also what `lastlog` says. Seconds since 1970.
fn last_used(disk: &dyn Disk, root: &Folder, layout: Layout, account: &Account) -> Option<i64> {
    let mut newest = (layout == Layout::Linux)
        .then(|| lastlog(disk, root, account.user))
        .flatten();
    let mut note = |seconds: i64| newest = Some(newest.map_or(seconds, |is| is.max(seconds)));
    let folder = disk.open_folder(root, account.home.as_bytes()).ok()?;
    let listed = disk.list(&folder, &mut |entry| {
        if let Ok(stat) = disk.stat(&folder, entry.name)
            && stat.kind != Kind::Folder
        {
            note(stat.modified.seconds);
        }
        ControlFlow::Continue(())
    });
    // A home that is told in part has been used at least as late as that part says.
    drop(listed);
    let used = USED.iter().filter(|(of, _)| *of == layout);
    for below in used.flat_map(|(_, paths)| *paths) {
        let parts: Vec<&str> = below.split('/').collect();
        for (path, _) in find::anything(disk, root, &account.home, &parts, layout) {
            let parent = path.parent().unwrap_or_default();
            let stat = disk
                .open_folder(root, parent.as_bytes())
                .and_then(|parent| disk.stat(&parent, path.as_name()));
            if let Ok(stat) = stat {
                note(stat.modified.seconds);
            }
        }
    }
    newest
}

/// One record of `var/log/lastlog`, by user number: a 32-bit time, a terminal of 32 bytes, a host
/// of 256 (lastlog(8)); in the order of bytes of this machine.
fn lastlog(disk: &dyn Disk, root: &Folder, user: u32) -> Option<i64> {
    const RECORD: u64 = 292;
    let folder = disk.open_folder(root, b"var/log").ok()?;
    let mut file = disk.open_file(&folder, c"lastlog").ok()?;
    file.seek(SeekFrom::Start(u64::from(user) * RECORD)).ok()?;
    let mut time = [0; 4];
    file.read_exact(&mut time).ok()?;
    let seconds = i64::from(u32::from_ne_bytes(time));
    (seconds > 0).then_some(seconds)
}
