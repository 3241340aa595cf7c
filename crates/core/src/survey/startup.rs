//! What starts by itself on a computer, at boot and when somebody signs in, and how it is switched off.
//!
//! Each way in which a system starts things has a file of its own here; `Switch` says by which of the system's own
//! mechanisms an entry is turned off. Nothing here changes anything: `run/switch.rs` does.

mod agents;
mod autostart;
mod cron;
mod shell;
mod units;
mod windows;

use std::collections::HashMap;

use jolly_disk::{FileKey, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{AccountName, FoldedNames, Layout, Target, TargetPath, is_asleep};
use crate::format::is_harmless;
use crate::format::text::text_id::text_id;
use crate::host::{Running, running};
use crate::source::is_program_gone;
use crate::survey::folders::names_in;
use crate::survey::programs::packages::as_merged;
use crate::survey::programs::{below, package_owners, place, read_at};

text_id! {
    /// The id of an entry: its source, its account and its name.
    StartId
}

/// Where an entry stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum StartSource {
    /// An entry of a desktop's autostart, of the system or of a person.
    Autostart,
    /// A service of the system's service manager.
    Service,
    /// A timer of it.
    Timer,
    /// A line of a crontab.
    Cron,
    /// A line of a shell's start files.
    Shell,
    /// A value of a run key of the registry.
    RunKey,
    /// A link in a start-up folder.
    StartupFolder,
    /// A task of the scheduler.
    Task,
    /// A login item of an account's own list.
    LoginItem,
    /// A launch agent, at sign-in.
    LaunchAgent,
    /// A launch daemon, at boot.
    LaunchDaemon,
}

impl StartSource {
    /// The word that ids and other programs use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Autostart => "autostart",
            Self::Service => "service",
            Self::Timer => "timer",
            Self::Cron => "cron",
            Self::Shell => "shell",
            Self::RunKey => "run-key",
            Self::StartupFolder => "startup-folder",
            Self::Task => "task",
            Self::LoginItem => "login-item",
            Self::LaunchAgent => "launch-agent",
            Self::LaunchDaemon => "launch-daemon",
        }
    }

    /// When it starts.
    pub fn when(self) -> &'static str {
        match self {
            Self::Service | Self::Timer | Self::Cron | Self::LaunchDaemon => "at boot",
            Self::Autostart
            | Self::Shell
            | Self::RunKey
            | Self::StartupFolder
            | Self::Task
            | Self::LoginItem
            | Self::LaunchAgent => "at sign-in",
        }
    }
}

/// How an entry is turned off and on again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Switch {
    /// A desktop entry of the account's own is written that hides the system's (autostart specification).
    Override {
        /// The entry of the system.
        of: TargetPath,
        /// The one that hides it.
        own: TargetPath,
    },
    /// The account's own desktop entry says that it is hidden.
    OwnEntry(TargetPath),
    /// The links are taken away by which the service manager finds it.
    Links(Vec<TargetPath>),
    /// The line of a crontab becomes a comment.
    CronLine {
        /// The crontab.
        file: TargetPath,
        /// The line as it is when it counts.
        line: Vec<u8>,
    },
    /// The list of what launchd leaves out names it.
    Mark {
        /// The list.
        list: TargetPath,
        /// The label of the agent.
        label: String,
    },
    /// A value of the registry says whether it starts.
    Registry {
        /// The hive.
        hive: TargetPath,
        /// The path of its key.
        key: String,
        /// The name of the value.
        name: String,
        /// What is done with it.
        way: RegistryWay,
    },
}

/// What turns an entry of a registry off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RegistryWay {
    /// A mark of its name says so.
    Mark,
    /// The entry itself is set aside: this system has no place for marks.
    Aside,
    /// A service waits until something asks for it.
    ByHand,
}

/// Something that starts by itself.
#[derive(Clone, Debug)]
pub struct StartEntry {
    /// Its id, the same from visit to visit.
    pub id: StartId,
    /// What it is called.
    pub name: String,
    /// Where it stands.
    pub source: StartSource,
    /// Whose it is; none where it is the system's.
    pub account: Option<AccountName>,
    /// What it starts.
    pub command: String,
    /// What it says about itself.
    pub says: Option<String>,
    /// The file that says so.
    pub file: TargetPath,
    /// Whether it starts.
    pub is_on: bool,
    /// Whether its program is surely gone.
    pub is_gone: bool,
    /// Who made its program: the package that it came in, or the publisher by its record.
    pub made_by: Option<String>,
    /// What its program holds, in bytes, as far as that is one file.
    pub bytes: u64,
    /// What its program uses now, where it runs.
    pub running: Option<Running>,
    /// When the entry was changed last, seconds since 1970.
    pub changed: Option<i64>,
    /// How it is switched, or why it can't be.
    pub switch: Result<Switch, &'static str>,
}

/// Everything that starts by itself, and what couldn't be read.
#[derive(Debug, Default)]
pub struct Startup {
    /// By account and source; those of the system first.
    pub entries: Vec<StartEntry>,
    /// What couldn't be read, and why.
    pub unread: Vec<(TargetPath, String)>,
}

/// Why parts of the system stay on.
const SYSTEM_PART: &str = "a part of the system";

/// The most entries that are told: nobody has as many.
const MOST: usize = 5_000;

/// The most that is read of one file, in bytes.
const MOST_READ: u64 = 256 * 1024;

/// Looks for all that starts by itself.
pub fn startup(target: &Target, cancel: &CancelToken) -> Startup {
    let mut look = Look {
        target,
        cancel,
        running: if target.is_live {
            running()
        } else {
            HashMap::new()
        },
        is_asleep: is_asleep(target),
        folded: FoldedNames::default(),
        packages: package_owners(target, cancel),
        publishers: Vec::new(),
        found: Startup::default(),
    };
    match target.layout {
        Layout::Linux => {
            autostart::look(&mut look);
            units::look(&mut look);
            cron::look(&mut look);
            shell::look(&mut look);
        }
        Layout::Windows => windows::look(&mut look),
        Layout::Macos => agents::look(&mut look),
    }
    let mut found = look.found;
    found.entries.sort_by(|one, other| {
        (&one.account, one.source, &one.id).cmp(&(&other.account, other.source, &other.id))
    });
    found
}

/// A look under way.
struct Look<'a> {
    target: &'a Target,
    cancel: &'a CancelToken,
    /// What runs on this machine; nothing of a disk on the bench.
    running: HashMap<FileKey, Running>,
    /// Whether its system only sleeps.
    is_asleep: bool,
    /// Names of folders of a system that ignores case.
    folded: FoldedNames,
    /// Which package a program came in, by its path.
    packages: HashMap<String, String>,
    /// Who made what lies in a folder of a windows system.
    publishers: Vec<(String, String)>,
    found: Startup,
}

/// What an entry is made of.
struct Found<'a> {
    source: StartSource,
    account: Option<&'a AccountName>,
    /// What makes its id one of its own.
    key: &'a str,
    name: &'a str,
    command: &'a str,
    /// The program that it starts: its path, or its name where it is looked for.
    program: Option<&'a str>,
    says: Option<&'a str>,
    file: &'a TargetPath,
    is_on: bool,
    switch: Result<Switch, &'static str>,
}

/// Text for people, harmless and not too long. Commands of windows keep their backslashes.
fn shown(text: &str) -> String {
    const LONGEST: usize = 200;
    let letters = text.chars().take(LONGEST);
    letters
        .map(|letter| {
            if is_harmless(letter) {
                letter
            } else {
                '\u{fffd}'
            }
        })
        .collect()
}

impl Look<'_> {
    fn is_over(&self) -> bool {
        self.cancel.is_cancelled() || self.found.entries.len() >= MOST
    }

    /// The names in a folder, with what they are.
    fn names(&self, folder: &TargetPath) -> Vec<(Vec<u8>, Kind)> {
        let disk = &**self.target.disk();
        let Ok(opened) = disk.open_folder(self.target.root(), folder.as_bytes()) else {
            return Vec::new();
        };
        let names = names_in(disk, &opened).into_iter();
        let mut names: Vec<(Vec<u8>, Kind)> = names
            .map(|(name, kind)| (name.into_bytes(), kind))
            .collect();
        names.sort();
        names
    }

    /// A file whole; what is there and can't be read is told.
    fn read(&mut self, path: &TargetPath) -> Option<Vec<u8>> {
        match read_at(self.target, path, MOST_READ) {
            Ok(bytes) => Some(bytes),
            Err(error) => {
                if error.kind() != std::io::ErrorKind::NotFound {
                    self.found.unread.push((path.clone(), error.to_string()));
                }
                None
            }
        }
    }

    fn text(&mut self, path: &TargetPath) -> Option<String> {
        let bytes = self.read(path)?;
        Some(String::from_utf8_lossy(&bytes).into_owned())
    }

    fn stat(&self, path: &TargetPath) -> Option<Stat> {
        let disk = &**self.target.disk();
        let folder = disk
            .open_folder(self.target.root(), path.folder_bytes())
            .ok()?;
        disk.stat(&folder, path.as_name()).ok()
    }

    fn add(&mut self, found: &Found<'_>) {
        let whose = found.account.map_or("system", |name| name);
        let id = format!("{}:{whose}:{}", found.source.name(), found.key);
        let (is_gone, file) = found
            .program
            .map_or((false, None), |program| self.program(program));
        let (path, file) = file.map_or((None, None), |(path, file)| (Some(path), Some(file)));
        let made_by = self.made_by(path.as_ref(), found.program);
        let changed = self.stat(found.file).map(|stat| stat.modified.seconds);
        self.found.entries.push(StartEntry {
            id: StartId::from(&*shown(&id)),
            name: shown(found.name),
            source: found.source,
            account: found.account.cloned(),
            command: shown(found.command),
            says: found.says.map(shown).filter(|says| !says.is_empty()),
            file: found.file.clone(),
            is_on: found.is_on,
            is_gone,
            made_by: made_by.as_deref().map(shown),
            bytes: file.map_or(0, |file| file.size),
            running: file.and_then(|file| self.running.get(&file.key).copied()),
            changed,
            switch: found.switch.clone(),
        });
    }

    /// Who made a program, where packages or records say so.
    fn made_by(&self, path: Option<&TargetPath>, program: Option<&str>) -> Option<String> {
        if self.target.layout == Layout::Windows {
            let small = program?.to_lowercase();
            let mut known = self.publishers.iter();
            let found = known.find(|(folder, _)| small.starts_with(folder.as_str()));
            return found.map(|(_, by)| by.clone());
        }
        let path = String::from_utf8(path?.as_bytes().to_vec()).ok()?;
        let package = self.packages.get(&as_merged(&path))?;
        Some(format!("the package {package}"))
    }

    /// Whether a program is surely gone, and its file.
    fn program(&self, program: &str) -> (bool, Option<(TargetPath, Stat)>) {
        let target = self.target;
        if target.layout == Layout::Windows {
            let (is_gone, path) = windows::find_program(target, &self.folded, program);
            let file = path.and_then(|path| Some((path.clone(), self.stat(&path)?)));
            return (is_gone, file);
        }
        let homes = target.accounts.iter().map(|account| &account.home);
        if is_program_gone(target, homes, program) {
            return (true, None);
        }
        let common = ["usr/local/bin", "usr/bin", "bin", "usr/sbin", "sbin"];
        let candidates: Vec<TargetPath> = match program.strip_prefix('/') {
            Some(path) => TargetPath::new(path).into_iter().collect(),
            None => common
                .map(|folder| below(&place(folder), program.as_bytes()))
                .to_vec(),
        };
        let mut files = candidates.into_iter().filter_map(|path| {
            let stat = self.stat(&path)?;
            (stat.kind == Kind::File).then_some((path, stat))
        });
        (false, files.next())
    }
}
