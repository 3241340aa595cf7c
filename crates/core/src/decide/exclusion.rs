//! What is spared: by path, pattern, rule, account, size or age; for one computer or for all.

mod spared;

use std::fmt;
use std::path::Path;

use globset::GlobMatcher;
use jiff::civil::Date;

use crate::computer::{Layout, TargetPath, fold};
use crate::format::{Printable, Site};
use crate::rule::{AgeLimit, NfaStates, PathPattern, bound_pattern, build_pattern, written_size};
use crate::source::is_of_site;

pub use crate::decide::exclusion::spared::Spared;

/// Where an exclusion counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Scope {
    /// In this run only, said by its options.
    Run,
    /// On this computer.
    Computer,
    /// On every computer.
    Everywhere,
}

impl Scope {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Run => "this run",
            Self::Computer => "this computer",
            Self::Everywhere => "all computers",
        }
    }
}

/// A path or a pattern of paths.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Spot {
    /// One thing, and whatever lies below it.
    Path(TargetPath),
    /// A glob. One with a `/` is held against the whole path below the target's root, one without
    /// against every name on the way; whatever lies below a match is spared, too.
    Pattern(String),
    /// What a web site left in browsers.
    Site(Site),
}

/// What an exclusion spares: whatever fits everything that is said here.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Spares {
    /// Where it lies.
    pub spot: Option<Spot>,
    /// The rule that has it, by whole id.
    pub rule: Option<String>,
    /// Whose it is, by name.
    pub account: Option<String>,
    /// Its apparent length is more than this, in bytes.
    pub larger_than: Option<u64>,
    /// It is younger than this, by the time that its rule names.
    pub younger_than: Option<AgeLimit>,
}

/// Something that is spared, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Exclusion {
    /// What.
    pub spares: Spares,
    /// In a person's words; may be empty.
    pub why: String,
    /// Since when, where that is known.
    pub since: Option<Date>,
    /// Where it counts.
    pub scope: Scope,
    /// Whether it rests for now.
    pub is_suspended: bool,
}

/// Why something is not an exclusion.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum ExclusionError {
    #[error("\"{pattern}\" is not a pattern: {reason}")]
    NotAPattern { pattern: String, reason: String },
    #[error("it says nothing that could be spared")]
    Empty,
}

impl Spares {
    /// One thing, and whatever lies below it.
    pub fn path(path: TargetPath) -> Self {
        Self {
            spot: Some(Spot::Path(path)),
            ..Self::default()
        }
    }

    /// Whatever fits a pattern; a slash at its start or end counts for nothing.
    ///
    /// # Errors
    /// When it is not a pattern, or is empty.
    pub fn pattern(pattern: &str) -> Result<Self, ExclusionError> {
        let spares = Self {
            spot: Some(Spot::Pattern(pattern.to_owned())),
            ..Self::default()
        };
        spares.matcher(Layout::Linux)?;
        Ok(spares)
    }

    /// What holds it against things, on a target of this layout.
    ///
    /// # Errors
    /// When its pattern is none, or it says nothing.
    pub fn matcher(&self, layout: Layout) -> Result<Matcher, ExclusionError> {
        if *self == Self::default() {
            return Err(ExclusionError::Empty);
        }
        let spot = match &self.spot {
            None => Place::Anywhere,
            Some(Spot::Path(path)) if path.is_root() => return Err(ExclusionError::Empty),
            Some(Spot::Path(path)) => Place::Path(spelt(path.as_bytes(), layout)),
            Some(Spot::Site(site)) => Place::Site(site.clone()),
            Some(Spot::Pattern(pattern)) => Place::Pattern {
                is_whole_path: pattern.contains('/'),
                glob: glob(pattern, layout)?,
                apart: PathPattern::new(pattern.trim_matches('/'), layout)
                    .ok()
                    .filter(PathPattern::is_apart),
            },
        };
        Ok(Matcher {
            spot,
            spares: self.clone(),
            layout,
        })
    }
}

fn glob(pattern: &str, layout: Layout) -> Result<GlobMatcher, ExclusionError> {
    let refuse = |reason: &str| ExclusionError::NotAPattern {
        pattern: pattern.to_owned(),
        reason: reason.to_owned(),
    };
    let trimmed = pattern.trim_matches('/');
    if trimmed.is_empty() {
        return Err(refuse("it is empty"));
    }
    if trimmed.split('/').any(|part| matches!(part, "." | "..")) {
        return Err(refuse("`.` and `..` lead nowhere below the target"));
    }
    bound_pattern(trimmed).map_err(|reason| refuse(&reason))?;
    let glob = build_pattern(trimmed, layout).map_err(|error| refuse(&error.kind().to_string()))?;
    Ok(glob.compile_matcher())
}

/// Bytes as names are compared on this layout.
fn spelt(bytes: &[u8], layout: Layout) -> Vec<u8> {
    if !layout.ignores_case() {
        return bytes.to_vec();
    }
    // Name by name: one that isn't text doesn't change how the others are compared.
    let names: Vec<Vec<u8>> = bytes.split(|byte| *byte == b'/').map(fold).collect();
    names.join(&b'/')
}

#[derive(Clone, Debug)]
enum Place {
    Anywhere,
    Path(Vec<u8>),
    Site(Site),
    Pattern {
        glob: GlobMatcher,
        /// The same, taken apart at its slashes, where it can be.
        apart: Option<PathPattern>,
        is_whole_path: bool,
    },
}

/// How a folder stands to what is spared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Below {
    /// All that lies in it fits the spot.
    All,
    /// Some of it may.
    Some,
    /// Nothing directly in it does.
    None,
}

/// What exclusions are held against.
#[derive(Clone, Copy, Debug)]
pub struct Thing<'a> {
    /// Where it lies.
    pub path: &'a TargetPath,
    /// The rule that has it, by whole id.
    pub rule: &'a str,
    /// Whose it is.
    pub account: Option<&'a str>,
    /// Its apparent length; none for a folder.
    pub size: Option<u64>,
    /// Its age in seconds.
    pub age: u64,
}

/// Holds one exclusion against things of a target.
#[derive(Clone, Debug)]
pub struct Matcher {
    spot: Place,
    spares: Spares,
    layout: Layout,
}

impl Matcher {
    /// Whether it spares a thing.
    pub fn spares(&self, thing: &Thing<'_>) -> bool {
        self.fits_owner(thing.rule, thing.account)
            && self.fits_figures(thing.size, thing.age)
            && self.fits_path(thing.path)
    }

    /// Whether the rule and the account fit.
    pub(super) fn fits_owner(&self, rule: &str, account: Option<&str>) -> bool {
        let is_same = |one: &str, other: &str| {
            spelt(one.as_bytes(), self.layout) == spelt(other.as_bytes(), self.layout)
        };
        let wanted = &self.spares;
        wanted.rule.as_deref().is_none_or(|id| id == rule)
            && wanted
                .account
                .as_deref()
                .is_none_or(|name| account.is_some_and(|account| is_same(name, account)))
    }

    /// Whether size and age fit.
    pub(super) fn fits_figures(&self, size: Option<u64>, age: u64) -> bool {
        let wanted = &self.spares;
        wanted
            .larger_than
            .is_none_or(|least| size.is_some_and(|size| size > least))
            && wanted
                .younger_than
                .is_none_or(|limit| age < limit.as_seconds())
    }

    /// Whether the path fits: it, or a folder on the way to it.
    pub fn fits_path(&self, path: &TargetPath) -> bool {
        let bytes = path.as_bytes();
        match &self.spot {
            Place::Anywhere => true,
            Place::Path(spared) => is_at_or_below(&spelt(bytes, self.layout), spared),
            Place::Site(site) => is_of_site(bytes, site),
            Place::Pattern {
                glob,
                is_whole_path: false,
                ..
            } => path.parts().any(|part| is_match(glob, part)),
            Place::Pattern { glob, .. } => {
                let slashes = bytes.iter().enumerate().filter(|(_, byte)| **byte == b'/');
                let mut ends = slashes.map(|(at, _)| at).chain([bytes.len()]);
                ends.any(|end| bytes.get(..end).is_some_and(|start| is_match(glob, start)))
            }
        }
    }

    /// How a folder stands to the spot.
    pub(super) fn below(&self, folder: &TargetPath) -> Below {
        // A database belongs to all of its sites, and each of its rows to one.
        let is_divided = || matches!(self.spot, Place::Site(_)) && is_database(folder.name());
        if self.fits_path(folder) && !is_divided() {
            return Below::All;
        }
        match &self.spot {
            Place::Path(spared) => {
                let folder = spelt(folder.as_bytes(), self.layout);
                let end = spared.iter().rposition(|byte| *byte == b'/').unwrap_or(0);
                if spared.get(..end) == Some(folder.as_slice()) {
                    Below::Some
                } else {
                    Below::None
                }
            }
            Place::Anywhere | Place::Pattern { .. } | Place::Site(_) => Below::Some,
        }
    }

    /// Whether all ways to compare letters agree on these: beyond ASCII only the glob knows what is the same.
    fn spells_alike(&self, bytes: &[u8]) -> bool {
        !self.layout.ignores_case() || bytes.is_ascii()
    }

    /// What can be known of a folder that itself doesn't fit, for all the names in it.
    pub(super) fn reached_in(&self, folder: &TargetPath) -> Option<NfaStates> {
        let Place::Pattern {
            apart: Some(apart),
            is_whole_path,
            ..
        } = &self.spot
        else {
            return None;
        };
        if !self.spells_alike(folder.as_bytes()) {
            return None;
        }
        Some(if *is_whole_path {
            apart.reached_in(folder.as_bytes())
        } else {
            apart.start()
        })
    }

    /// Whether a name fits in a folder that itself does not, and of which this is known.
    pub(super) fn fits_name(
        &self,
        (folder, reached): (&TargetPath, Option<NfaStates>),
        name: &[u8],
    ) -> bool {
        match &self.spot {
            Place::Pattern {
                apart: Some(apart), ..
            } if let Some(reached) = reached
                && self.spells_alike(name) =>
            {
                apart.matches_in(reached, name)
            }
            Place::Anywhere => true,
            Place::Site(site) => {
                let path = [folder.as_bytes(), b"/", name].concat();
                is_of_site(&path, site)
            }
            Place::Pattern {
                glob,
                is_whole_path: false,
                ..
            } => is_match(glob, name),
            Place::Pattern { glob, .. } => {
                let path = if folder.is_root() {
                    name.to_vec()
                } else {
                    [folder.as_bytes(), b"/", name].concat()
                };
                is_match(glob, &path)
            }
            Place::Path(spared) => {
                let start = spared.iter().rposition(|byte| *byte == b'/');
                let last = spared.get(start.map_or(0, |at| at + 1)..);
                last == Some(spelt(name, self.layout).as_slice())
            }
        }
    }
}

fn is_match(glob: &GlobMatcher, bytes: &[u8]) -> bool {
    use std::os::unix::ffi::OsStrExt as _;
    glob.is_match(Path::new(std::ffi::OsStr::from_bytes(bytes)))
}

fn is_at_or_below(path: &[u8], spared: &[u8]) -> bool {
    path.strip_prefix(spared)
        .is_some_and(|rest| rest.is_empty() || rest.starts_with(b"/"))
}

/// Whether a name is that of a database whose rows are told apart by site.
fn is_database(name: &[u8]) -> bool {
    let name = name.to_ascii_lowercase();
    name == b"cookies" || name == b"cookies.sqlite"
}

impl Exclusion {
    /// A site that one run keeps.
    pub fn of_site(site: Site) -> Self {
        Self {
            spares: Spares {
                spot: Some(Spot::Site(site)),
                ..Spares::default()
            },
            why: String::new(),
            since: None,
            scope: Scope::Run,
            is_suspended: false,
        }
    }

    /// What the options of one run spare: whatever fits a pattern.
    ///
    /// # Errors
    /// When it is not a pattern, or is empty.
    pub fn of_run(pattern: &str) -> Result<Self, ExclusionError> {
        Ok(Self {
            spares: Spares::pattern(pattern)?,
            why: String::new(),
            since: None,
            scope: Scope::Run,
            is_suspended: false,
        })
    }

    /// What it is called where there is room for a few words: why, or else what it spares.
    pub fn name(&self) -> String {
        if self.why.is_empty() {
            self.spares.to_string()
        } else {
            self.why.clone()
        }
    }
}

impl fmt::Display for Spares {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut parts = Vec::new();
        match &self.spot {
            Some(Spot::Path(path)) => parts.push(path.to_string()),
            Some(Spot::Pattern(pattern)) => parts.push(Printable(pattern.as_bytes()).to_string()),
            Some(Spot::Site(site)) => parts.push(format!("the site {}", site.shown())),
            None => {}
        }
        match (&self.rule, &self.account) {
            (Some(rule), Some(account)) => parts.push(format!("{rule} of {account}")),
            (Some(rule), None) => parts.push(rule.clone()),
            (None, Some(account)) => parts.push(format!("whatever is {account}'s")),
            (None, None) => {}
        }
        if let Some(bytes) = self.larger_than {
            parts.push(format!("larger than {}", written_size(bytes)));
        }
        if let Some(limit) = self.younger_than {
            parts.push(format!("younger than {limit}"));
        }
        out.write_str(&parts.join(", "))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn spares(pattern: &str, layout: Layout, path: &str) -> bool {
        let matcher = Spares::pattern(pattern).unwrap().matcher(layout).unwrap();
        matcher.fits_path(&TargetPath::new(path).unwrap())
    }

    #[test]
    fn a_spared_folder_spares_what_is_below_it() {
        let linux = |pattern: &str, path: &str| spares(pattern, Layout::Linux, path);
        assert!(linux("home/joss/Downloads", "home/joss/Downloads/a/b.iso"));
        assert!(linux("/home/joss/Down*/", "home/joss/Downloads/a/b.iso"));
        assert!(linux("*.iso", "home/joss/Downloads/b.iso"));
        assert!(linux(
            "thumbnails",
            "home/pia/.cache/thumbnails/large/x.png"
        ));
        assert!(!linux("home/*", "var/tmp/x"));
        assert!(!linux("*.iso", "home/joss/b.img"));
        assert!(spares(
            "users/PIA/*.JPG",
            Layout::Windows,
            "Users/pia/a.jpg"
        ));
        for wrong in ["/", "", "[a", "home/../etc", "a/{b"] {
            assert!(Spares::pattern(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_path_is_compared_as_the_layout_names_things() {
        let folder = Spares::path(TargetPath::new("Users/pia/Letters").unwrap());
        let fits = |layout, path: &str| {
            let matcher = folder.matcher(layout).unwrap();
            matcher.fits_path(&TargetPath::new(path).unwrap())
        };
        assert!(fits(Layout::Windows, "users/PIA/letters/a.doc"));
        assert!(!fits(Layout::Linux, "users/PIA/letters/a.doc"));
        assert!(fits(Layout::Linux, "Users/pia/Letters"));
        assert!(!fits(Layout::Linux, "Users/pia/Letters.old"));
        let root = Spares::path(TargetPath::root());
        assert!(root.matcher(Layout::Linux).is_err());
    }
}
