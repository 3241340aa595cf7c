//! Where programs keep what is theirs, on each layout.

use crate::computer::{Layout, Place, Target, TargetPath};
use crate::survey::programs::{below, place};

/// What a folder or file holds for its program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Holds {
    Program,
    Data,
    Cache,
    Logs,
}

/// A folder in which programs keep what is theirs.
pub(super) struct Keeping {
    pub path: TargetPath,
    pub account: Option<usize>,
    pub holds: Holds,
    /// Whether only names that begin with a dot are looked at.
    pub hidden: bool,
}

/// Where programs keep what is theirs.
pub(super) fn kept_in(target: &Target) -> Vec<Keeping> {
    let mut all: Vec<Keeping> = Vec::new();
    let mut add = |path: TargetPath, account, holds, hidden| {
        let keeping = Keeping {
            path,
            account,
            holds,
            hidden,
        };
        if !all.iter().any(|known| known.path == keeping.path) {
            all.push(keeping);
        }
    };
    let shared: &[(&str, Holds)] = match target.layout {
        Layout::Linux => &[
            ("etc", Holds::Data),
            ("var/lib", Holds::Data),
            ("var/cache", Holds::Cache),
            ("var/log", Holds::Logs),
        ],
        Layout::Windows => &[("ProgramData", Holds::Data)],
        Layout::Macos => &[
            ("Library/Application Support", Holds::Data),
            ("Library/Preferences", Holds::Data),
            ("Library/Caches", Holds::Cache),
            ("Library/Logs", Holds::Logs),
        ],
    };
    for (path, holds) in shared {
        add(target.with_disk_case(&place(path)), None, *holds, false);
    }
    let places = [
        (Place::Cache, Holds::Cache),
        (Place::State, Holds::Data),
        (Place::Data, Holds::Data),
        (Place::Config, Holds::Data),
    ];
    for (kind, holds) in places {
        for (account, path) in target.places.of(kind) {
            // What the shell of Windows loaded from the network is no program's.
            if target.layout != Layout::Windows || kind != Place::Cache {
                add(path.clone(), account, holds, false);
            }
        }
    }
    for (at, account) in target.accounts.iter().enumerate() {
        let own = |path: &str| below(&account.home, path.as_bytes());
        let more: &[(&str, Holds)] = match target.layout {
            Layout::Linux => &[("snap", Holds::Data), (".var/app", Holds::Data)],
            Layout::Windows => &[],
            Layout::Macos => &[
                ("Library/Containers", Holds::Data),
                ("Library/Group Containers", Holds::Data),
                ("Library/Logs", Holds::Logs),
                ("Library/HTTPStorages", Holds::Cache),
                ("Library/WebKit", Holds::Data),
            ],
        };
        for (path, holds) in more {
            add(own(path), Some(at), *holds, false);
        }
        add(account.home.clone(), Some(at), Holds::Data, true);
    }
    all
}
