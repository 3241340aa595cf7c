//! The package managers of the running system: what one would remove, by its own simulation, and the command that does it.

use std::io;

use crate::host::tool::Tool;

/// A package manager.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PackageManager {
    /// apt, over dpkg.
    Apt,
    /// dnf, over RPM.
    Dnf,
    /// pacman.
    Pacman,
    /// apk.
    Apk,
    /// flatpak, of what all accounts share.
    Flatpak,
    /// snap.
    Snap,
}

/// Why a manager can't say what it would do.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum ManagerError {
    #[error("{name} isn't installed")]
    NotThere { name: &'static str },
    #[error("\"{name}\" is no name of a package")]
    NoName { name: String },
    #[error("{tool} can't be asked")]
    Ask { tool: String, source: io::Error },
    #[error("{tool} refuses: {why}")]
    Refuses { tool: String, why: String },
}

impl PackageManager {
    /// What it is called.
    pub fn name(self) -> &'static str {
        match self {
            Self::Apt => "apt-get",
            Self::Dnf => "dnf",
            Self::Pacman => "pacman",
            Self::Apk => "apk",
            Self::Flatpak => "flatpak",
            Self::Snap => "snap",
        }
    }

    fn paths(self) -> &'static [&'static str] {
        match self {
            Self::Apt => &["/usr/bin/apt-get"],
            Self::Dnf => &["/usr/bin/dnf"],
            Self::Pacman => &["/usr/bin/pacman"],
            Self::Apk => &["/sbin/apk", "/usr/bin/apk"],
            Self::Flatpak => &["/usr/bin/flatpak"],
            Self::Snap => &["/usr/bin/snap"],
        }
    }

    /// The manager of this system's own packages.
    pub fn present() -> Option<Self> {
        let all = [Self::Apt, Self::Dnf, Self::Pacman, Self::Apk];
        all.into_iter().find(|one| one.tool(&[]).is_ok())
    }

    /// The folder that it keeps downloaded packages in.
    pub fn cache(self) -> &'static str {
        match self {
            Self::Apt => "/var/cache/apt/archives",
            Self::Dnf => "/var/cache/dnf",
            Self::Pacman => "/var/cache/pacman/pkg",
            Self::Apk => "/var/cache/apk",
            Self::Flatpak => "/var/lib/flatpak/repo/tmp/cache",
            Self::Snap => "/var/lib/snapd/cache",
        }
    }

    /// The command that removes the packages that it downloaded.
    ///
    /// # Errors
    /// When the manager isn't there.
    pub fn cleaning(self) -> Result<Tool, ManagerError> {
        match self {
            Self::Apt => self.tool(&["clean"]),
            Self::Dnf => self.tool(&["-y", "clean", "packages"]),
            Self::Pacman => self.tool(&["--noconfirm", "-Sc"]),
            Self::Apk => self.tool(&["cache", "clean"]),
            Self::Flatpak | Self::Snap => Err(ManagerError::NotThere { name: self.name() }),
        }
    }

    fn tool(self, arguments: &[&str]) -> Result<Tool, ManagerError> {
        let name = self.name();
        Tool::at(self.paths(), arguments).ok_or(ManagerError::NotThere { name })
    }

    /// The command that removes a package, its settings kept.
    ///
    /// # Errors
    /// When the manager isn't there, or that is no name of a package.
    pub fn removal(self, package: &str) -> Result<Tool, ManagerError> {
        let package = checked(package)?;
        match self {
            Self::Apt => self.tool(&["-y", "-o", "Dpkg::Use-Pty=0", "remove", package]),
            Self::Dnf => self.tool(&["-y", "remove", package]),
            Self::Pacman => self.tool(&["--noconfirm", "-R", package]),
            Self::Apk => self.tool(&["del", package]),
            Self::Flatpak => self.tool(&["uninstall", "--system", "-y", package]),
            Self::Snap => self.tool(&["remove", package]),
        }
    }

    /// The command that removes what came as a dependency and is needed by nothing; none where the manager does so by
    /// itself, or never. `packages` are what [`Self::unneeded`] named.
    ///
    /// # Errors
    /// As [`Self::removal`].
    pub fn removal_of_unneeded(self, packages: &[String]) -> Result<Option<Tool>, ManagerError> {
        match self {
            Self::Apt => self
                .tool(&["-y", "-o", "Dpkg::Use-Pty=0", "autoremove"])
                .map(Some),
            Self::Dnf => self.tool(&["-y", "autoremove"]).map(Some),
            Self::Pacman => {
                let mut words = vec!["--noconfirm", "-R"];
                for package in packages {
                    words.push(checked(package)?);
                }
                self.tool(&words).map(Some)
            }
            Self::Apk | Self::Flatpak | Self::Snap => Ok(None),
        }
    }

    /// What it would remove with a package, that package included; nothing where it can't say.
    ///
    /// # Errors
    /// When it can't be asked, or refuses.
    pub fn would_remove(self, package: &str) -> Result<Option<Vec<String>>, ManagerError> {
        let package = checked(package)?;
        let tool = match self {
            Self::Apt => self.tool(&["-s", "remove", package])?,
            Self::Dnf => self.tool(&["--assumeno", "remove", package])?,
            Self::Pacman => self.tool(&["-R", "--print-format", "%n", package])?,
            Self::Apk => self.tool(&["del", "--simulate", package])?,
            Self::Flatpak | Self::Snap => return Ok(None),
        };
        self.simulated(&tool).map(Some)
    }

    /// What came as a dependency and is needed by nothing, as the manager says.
    ///
    /// # Errors
    /// When it can't be asked, or refuses.
    pub fn unneeded(self) -> Result<Vec<String>, ManagerError> {
        let tool = match self {
            Self::Apt => self.tool(&["-s", "autoremove"])?,
            Self::Dnf => self.tool(&["--assumeno", "autoremove"])?,
            Self::Pacman => self.tool(&["-Qdtq"])?,
            Self::Apk | Self::Flatpak | Self::Snap => return Ok(Vec::new()),
        };
        self.simulated(&tool)
    }

    fn simulated(self, tool: &Tool) -> Result<Vec<String>, ManagerError> {
        let answer = tool.ask().map_err(|source| ManagerError::Ask {
            tool: tool.to_string(),
            source,
        })?;
        let packages = self.read(&answer.text);
        // Saying no to itself is a failure to dnf; nothing to list is one to pacman.
        let is_refusal = !answer.status.success() && packages.is_empty();
        let errors = answer.errors.trim();
        if is_refusal && !errors.is_empty() {
            return Err(ManagerError::Refuses {
                tool: self.name().to_owned(),
                why: errors.lines().last().unwrap_or_default().to_owned(),
            });
        }
        Ok(packages)
    }

    /// The packages that a simulation names.
    fn read(self, text: &str) -> Vec<String> {
        let named = text.lines().filter_map(|line| self.read_line(line));
        let mut packages: Vec<String> = named.map(str::to_owned).collect();
        packages.dedup();
        packages
    }

    fn read_line(self, line: &str) -> Option<&str> {
        let mut words = line.split_whitespace();
        match self {
            // `Remv knotbook [4.2.1]`, or `Purg`.
            Self::Apt => matches!(words.next()?, "Remv" | "Purg").then(|| words.next())?,
            // ` knotbook    x86_64    4.2.1-1    @System    9.0 M`
            Self::Dnf => {
                let fields: Vec<&str> = words.collect();
                let is_row = line.starts_with(' ')
                    && fields.len() >= 4
                    && [
                        "x86_64", "noarch", "aarch64", "i686", "ppc64le", "s390x", "armv7hl",
                    ]
                    .contains(fields.get(1)?);
                is_row.then(|| fields.first().copied())?
            }
            Self::Pacman => words.next().filter(|_| words.next().is_none()),
            // `(1/2) Purging knotbook (4.2.1-r0)`
            Self::Apk => {
                let is_row = words.next()?.starts_with('(') && words.next()? == "Purging";
                is_row.then(|| words.next())?
            }
            Self::Flatpak | Self::Snap => None,
        }
    }
}

/// A name that no manager takes for anything but a package.
fn checked(name: &str) -> Result<&str, ManagerError> {
    let is_plain = |letter: char| letter.is_ascii_alphanumeric() || "+-._:@~/".contains(letter);
    let begins = name
        .chars()
        .next()
        .is_some_and(|it| it.is_ascii_alphanumeric() || it == '_');
    // A name that ends so asks apt for something else: to install, or to remove.
    let ends = !name.ends_with(['+', '-']) || name.ends_with("++");
    let is_path = name.contains('/') || name.contains("..");
    if begins && ends && !is_path && name.chars().all(is_plain) && name.len() < 256 {
        Ok(name)
    } else {
        let name = crate::format::Printable(name.as_bytes()).to_string();
        Err(ManagerError::NoName { name })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_manager_is_understood() {
        let apt = "NOTE: This is only a simulation!\nRemv knotbook-doc [4.2.1]\nRemv knotbook [4.2.1] [quay:amd64 ]\n\
                   Inst other (1.0 x [amd64])\n0 upgraded\n";
        let dnf = "Dependencies resolved.\n=====\n Package   Architecture Version  Repository  Size\nRemoving:\n \
                   knotbook     x86_64   4.2.1-1   @System   9.0 M\nRemoving unused dependencies:\n libquay  noarch  2-1 \
                   @System 1 M\n\nTransaction Summary\nRemove  2 Packages\nOperation aborted.\n";
        for (manager, text, wanted) in [
            (PackageManager::Apt, apt, &["knotbook-doc", "knotbook"][..]),
            (PackageManager::Dnf, dnf, &["knotbook", "libquay"]),
            (
                PackageManager::Pacman,
                "libquay\nknotbook\n",
                &["libquay", "knotbook"],
            ),
            (
                PackageManager::Apk,
                "(1/2) Purging knotbook (4.2.1-r0)\n(2/2) Purging libquay (2-r1)\nOK: 9 MiB in 20 packages\n",
                &["knotbook", "libquay"],
            ),
        ] {
            assert_eq!(manager.read(text), wanted, "{}", manager.name());
        }
    }

    #[test]
    fn what_could_mean_something_else_is_no_name() {
        for name in [
            "",
            "-y",
            "a b",
            "knotbook-",
            "knotbook+",
            "a;b",
            "../x",
            "/etc",
            "a\n",
            "$x",
        ] {
            assert!(checked(name).is_err(), "{name:?}");
        }
        for name in [
            "knotbook",
            "g++",
            "lib32z1-dev",
            "libc6:i386",
            "org.example.Knot",
            "_x",
        ] {
            assert!(checked(name).is_ok(), "{name:?}");
        }
    }
}
