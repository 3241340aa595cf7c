//! Removing a program by its own package manager: what that would take along, the command, or why it can't be done here.

use std::collections::{HashMap, HashSet};
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::runner;

use crate::computer::{Layout, Target};
use crate::host::{ManagerError, PackageManager, Tool};
use crate::survey::{Inventory, Program, ProgramSource, Reason};

/// What is to be removed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unwanted {
    /// A program, by what its source knows it by.
    Program(ProgramSource, String),
    /// What came as a dependency and is needed by nothing.
    Unneeded,
}

/// A package that goes along.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RemovedPackage {
    /// Its name.
    pub name: String,
    /// What it occupies itself, in bytes, as far as its record says.
    pub bytes: u64,
    /// Whether somebody would look for it among programs.
    pub is_own_program: bool,
}

/// Removing something, as its manager would do it now.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Uninstall {
    /// What.
    pub unwanted: Unwanted,
    /// What has to be typed before it is done.
    pub word: String,
    /// The manager.
    pub manager: PackageManager,
    /// Its command.
    pub command: Tool,
    /// What it would remove, by its own simulation; the program alone where it can't say.
    pub removes: Vec<RemovedPackage>,
    /// Whether the manager has said so.
    pub is_simulated: bool,
}

/// Why something can't be removed from here.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum UninstallError {
    #[error("this system doesn't run, and its own package manager belongs to it")]
    DoesNotRun { layout: Layout },
    #[error("only the administrator may remove programs")]
    NeedsAdministrator,
    #[error("no package manager knows {name}: it is {}", source_of.words())]
    NoManager {
        name: String,
        source_of: ProgramSource,
    },
    #[error("it is of the account {account} alone")]
    OfAccount { account: String },
    #[error("{name} is a part of the system")]
    PartOfSystem { name: String },
    #[error("that would take parts of the system along: {}", names.join(", "))]
    TakesSystemAlong { names: Vec<String> },
    #[error("nothing is there that came as a dependency and is needed by nothing")]
    NothingUnneeded,
    #[error("the manager names other packages than {name}")]
    OtherPackage { name: String },
    #[error(transparent)]
    Manager(#[from] ManagerError),
}

impl UninstallError {
    /// What can be done instead.
    pub fn advice(&self) -> &'static str {
        match self {
            Self::DoesNotRun { layout } => match layout {
                Layout::Linux => {
                    "start this system and remove it there, or go into it with chroot and use its manager"
                }
                Layout::Windows => {
                    "start this system and remove it from its list of apps; what it leaves is found here"
                }
                Layout::Macos => {
                    "start this system and move it to the trash there; what it leaves is found here"
                }
            },
            Self::NeedsAdministrator => "start this program as the administrator",
            Self::NoManager { source_of, .. } => match source_of {
                ProgramSource::AppImage | ProgramSource::Executable | ProgramSource::Launcher => {
                    "it is gone when its file is deleted; what it keeps elsewhere is found as left behind then"
                }
                ProgramSource::Nix => "its own profile removes it: nix profile remove",
                _ => {
                    "look into its folder for a script that removes it; what it keeps elsewhere is found as left behind then"
                }
            },
            Self::OfAccount { .. } => "that account removes it by its own manager",
            Self::PartOfSystem { .. } | Self::TakesSystemAlong { .. } => {
                "the system may not start without them, so this program doesn't"
            }
            Self::NothingUnneeded => "",
            Self::OtherPackage { .. } => "look at the programs again",
            Self::Manager(_) => "try it in a shell, where it can say more",
        }
    }
}

/// The manager of what a source tells of.
fn manager_of(source: ProgramSource) -> Option<PackageManager> {
    Some(match source {
        ProgramSource::Dpkg => PackageManager::Apt,
        ProgramSource::Rpm => PackageManager::Dnf,
        ProgramSource::Pacman => PackageManager::Pacman,
        ProgramSource::Apk => PackageManager::Apk,
        ProgramSource::Flatpak => PackageManager::Flatpak,
        ProgramSource::Snap => PackageManager::Snap,
        _ => return None,
    })
}

/// Whether a target is the system that runs here.
pub fn is_running_system(target: &Target) -> bool {
    let root = std::fs::metadata("/");
    let is_root = root
        .is_ok_and(|root| (root.dev(), root.ino()) == (target.key().device, target.key().inode));
    is_root && target.layout == Layout::Linux && !target.is_stand_in()
}

/// Asks the manager of something what it would remove.
///
/// # Errors
/// When it can't be removed from here, and why.
pub fn uninstall(
    target: &Target,
    inventory: &Inventory,
    unwanted: &Unwanted,
) -> Result<Uninstall, UninstallError> {
    if !is_running_system(target) {
        let layout = target.layout;
        return Err(UninstallError::DoesNotRun { layout });
    }
    if runner() != 0 {
        return Err(UninstallError::NeedsAdministrator);
    }
    match unwanted {
        Unwanted::Program(source, id) => {
            let mut programs = inventory.programs.iter();
            let program = programs.find(|one| one.source == *source && one.id == *id);
            of_program(target, inventory, program, unwanted, (*source, id))
        }
        Unwanted::Unneeded => of_unneeded(inventory),
    }
}

fn of_program(
    target: &Target,
    inventory: &Inventory,
    program: Option<&Program>,
    unwanted: &Unwanted,
    (source, id): (ProgramSource, &str),
) -> Result<Uninstall, UninstallError> {
    let name = program.map_or(id, |program| &program.name).to_owned();
    let Some(manager) = manager_of(source) else {
        return Err(UninstallError::NoManager {
            name,
            source_of: source,
        });
    };
    if program.is_some_and(|program| program.reason == Reason::System) {
        return Err(UninstallError::PartOfSystem { name });
    }
    let account = program.and_then(|program| program.own.first()?.1);
    if let Some(account) = account.and_then(|at| target.accounts.get(at)) {
        let account = account.name.to_string();
        return Err(UninstallError::OfAccount { account });
    }
    let command = manager.removal(id)?;
    let simulated = manager.would_remove(id)?;
    let is_simulated = simulated.is_some();
    let names = simulated.unwrap_or_else(|| vec![id.to_owned()]);
    let is_it = |known: &String| known == id || known.split(':').next() == Some(id);
    if !names.iter().any(is_it) {
        return Err(UninstallError::OtherPackage { name });
    }
    Ok(Uninstall {
        unwanted: unwanted.clone(),
        word: name,
        manager,
        command,
        removes: known(inventory, source, names)?,
        is_simulated,
    })
}

fn of_unneeded(inventory: &Inventory) -> Result<Uninstall, UninstallError> {
    let mut sources = inventory.programs.iter().map(|program| program.source);
    let source = sources.find(|source| source.is_package());
    let source = source.ok_or(UninstallError::NothingUnneeded)?;
    let manager = manager_of(source).ok_or(UninstallError::NothingUnneeded)?;
    let names = manager.unneeded()?;
    let command = manager.removal_of_unneeded(&names)?;
    let command = command.filter(|_| !names.is_empty());
    Ok(Uninstall {
        unwanted: Unwanted::Unneeded,
        word: "unneeded".to_owned(),
        manager,
        command: command.ok_or(UninstallError::NothingUnneeded)?,
        removes: known(inventory, source, names)?,
        is_simulated: true,
    })
}

/// What is known of packages that would go; none of them may be a part of the system.
fn known(
    inventory: &Inventory,
    source: ProgramSource,
    names: Vec<String>,
) -> Result<Vec<RemovedPackage>, UninstallError> {
    let of_source = inventory.programs.iter().filter(|one| one.source == source);
    let by_id: HashMap<&str, &Program> = of_source.map(|one| (&*one.id, one)).collect();
    let find = |name: &str| {
        let plain = name.split(':').next().unwrap_or(name);
        by_id.get(name).or_else(|| by_id.get(plain)).copied()
    };
    let is_systems = |name: &&String| find(name).is_some_and(|it| it.reason == Reason::System);
    let systems: Vec<String> = names.iter().filter(is_systems).cloned().collect();
    if !systems.is_empty() {
        return Err(UninstallError::TakesSystemAlong { names: systems });
    }
    let removed = names.into_iter().map(|name| {
        let program = find(&name);
        RemovedPackage {
            bytes: program.map_or(0, |program| program.bytes.program),
            is_own_program: program.is_some_and(Program::is_own_program),
            name,
        }
    });
    Ok(removed.collect())
}

impl Uninstall {
    /// Whether the manager would still do exactly what was shown.
    ///
    /// # Errors
    /// When it can't be asked, or refuses.
    pub fn is_as_shown(&self) -> Result<bool, ManagerError> {
        let now = match &self.unwanted {
            Unwanted::Program(_, id) => self.manager.would_remove(id)?,
            Unwanted::Unneeded => Some(self.manager.unneeded()?),
        };
        let shown: HashSet<&str> = self.removes.iter().map(|one| &*one.name).collect();
        Ok(now.is_none_or(|now| now.iter().map(String::as_str).collect::<HashSet<_>>() == shown))
    }
}
