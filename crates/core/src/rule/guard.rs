//! Guards: what no rule can take, whatever it says.
//!
//! This is the first of two looks; the second, in `last_look`, is other code on purpose.

mod families;
pub(super) mod folder;
pub(super) mod last_look;
mod lists;
pub(crate) mod name;
#[cfg(test)]
pub(crate) mod samples;

use std::collections::HashMap;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{Layout, Personal, Place, Places, TargetPath, fold};
use crate::rule::guard::lists::Reach;
use crate::rule::guard::name::{guarded_folder_name, guarded_pair, may_be_of_maildir, names_guard};
use crate::rule::{Class, Detect, Rule, pattern};

/// Why something is never taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Guard {
    /// Programs and libraries of the system, and what they keep.
    System,
    /// Passwords, keys, certificates, form entries, bookmarks, settings of a profile.
    Secret,
    /// Mail.
    Mail,
    /// Documents, pictures, music, videos, desktop.
    Personal,
    /// The root of a place, a home, or a folder on the way to one.
    Root,
    /// This program's own files.
    Own,
}

impl Guard {
    /// The reason in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::System => "it belongs to the system",
            Self::Secret => "it may hold passwords, keys, bookmarks or settings",
            Self::Mail => "it is mail",
            Self::Personal => "it is in somebody's own folder",
            Self::Root => "a rule looks in this folder, and the folder itself stays",
            Self::Own => "it belongs to this program",
        }
    }
}

/// A folder that rules look in, or one on the way there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Root {
    /// Whether another lies below it.
    leads_on: bool,
    /// Whether it is a place or somebody's own folder, or on the way to one; not only what a rule's pattern found.
    is_place: bool,
}

/// What one target's guards stand before.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Guards {
    layout: Layout,
    personal: Personal,
    /// The folders that rules look in, and every folder on the way to one.
    roots: HashMap<TargetPath, Root>,
    own: Vec<TargetPath>,
}

impl Guards {
    /// The guards of a target with these places. `own` are this program's files on it.
    pub fn new(places: &Places, own: Vec<TargetPath>) -> Self {
        let mut guards = Self {
            layout: places.layout,
            personal: places.personal.clone(),
            roots: HashMap::new(),
            own,
        };
        for root in places.roots() {
            guards.add(root.clone(), true);
        }
        for root in places.personal.folders() {
            if let Ok(root) = TargetPath::new(root) {
                guards.add(root, true);
            }
        }
        guards
    }

    /// Adds a folder that a rule looks in: itself and the way to it stay, but for a survey, which names what may go.
    pub fn add_root(&mut self, root: TargetPath) {
        self.add(root, false);
    }

    fn add(&mut self, root: TargetPath, is_place: bool) {
        let mut way = root.parent();
        self.roots.entry(root).or_default().is_place |= is_place;
        while let Some(path) = way {
            way = path.parent();
            let known = self.roots.entry(path).or_default();
            let is_told = known.leads_on && (known.is_place || !is_place);
            known.leads_on = true;
            known.is_place |= is_place;
            if is_told {
                break;
            }
        }
    }

    /// Whether the root of a place lies below a folder.
    fn lead_on(&self, folder: &TargetPath) -> bool {
        self.roots.get(folder).is_some_and(|root| root.leads_on)
    }

    /// Whether everything in this folder and below it is guarded for a rule that looks in
    /// `within`.
    pub fn folder(&self, folder: &TargetPath, rule: &Rule, within: &TargetPath) -> Option<Guard> {
        if self.own.iter().any(|own| folder.below(own).is_some()) {
            return Some(Guard::Own);
        }
        if !self.names_personal(folder, rule, within) {
            return Some(Guard::Personal);
        }
        let names = NameForms::of(folder, self.layout);
        (names.is_system() && !names.has_gap(rule))
            .then_some(Guard::System)
            .or_else(|| folder.parts().find_map(guarded_folder_name))
            .or_else(|| {
                let parts: Vec<&[u8]> = folder.parts().collect();
                parts
                    .windows(2)
                    .find_map(|pair| guarded_pair(pair[0], pair[1]))
            })
    }

    /// Whether a rule that looks in `within` names every folder of somebody's own that a folder is or lies
    /// in. One that picks a whole account names all that is only so because its home is closed.
    fn names_personal(&self, folder: &TargetPath, rule: &Rule, within: &TargetPath) -> bool {
        let is_at_or_in = |own: &[u8]| {
            let rest = within.as_bytes().strip_prefix(own);
            rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(b"/"))
        };
        self.personal.over(folder).all(|(own, is_by_closed)| {
            let is_picked = is_by_closed && rule.detect == Some(Detect::OldAccount);
            rule.class == Class::Ask && (is_picked || is_at_or_in(own))
        })
    }

    /// Whether a folder is one of the three that a mail folder of the sort one file a message has, whatever
    /// that is called; `holder` is the open folder that holds it.
    pub(crate) fn is_of_maildir(disk: &dyn Disk, holder: &Folder, name: &[u8]) -> bool {
        let is_there = |name: &[u8]| {
            let name = std::ffi::CString::new(name).unwrap_or_default();
            disk.stat(holder, &name)
                .is_ok_and(|stat| stat.kind == Kind::Folder)
        };
        may_be_of_maildir(name) && families::MAILDIR.iter().all(|name| is_there(name))
    }

    /// Whether this file or link is guarded by its own name, in a folder that is not guarded.
    pub fn file(&self, path: &TargetPath, rule: &Rule) -> Option<Guard> {
        if self.own.contains(path) {
            return Some(Guard::Own);
        }
        let names = NameForms::of(path, self.layout);
        (names.is_system() && !names.is_in_gap(rule))
            .then_some(Guard::System)
            .or_else(|| {
                let small = path.name().to_ascii_lowercase();
                names_guard(&small, rule)
            })
            .or_else(|| self.root(path, rule))
    }

    /// Whether this is a folder that rules look in, or on the way to one.
    pub fn is_root(&self, path: &TargetPath) -> bool {
        self.roots.contains_key(path)
    }

    /// That a folder is one that rules look in, or on the way to one. Of those that a pattern found, a survey may take
    /// what it names.
    fn root(&self, path: &TargetPath, rule: &Rule) -> Option<Guard> {
        let root = self.roots.get(path)?;
        (root.is_place || rule.survey.is_none()).then_some(Guard::Root)
    }

    /// Whether a folder is somebody's own, or lies in one.
    pub fn is_personal(&self, folder: &TargetPath) -> bool {
        self.personal.over(folder).next().is_some()
    }

    /// Everything at once, for a single path.
    pub fn path(&self, path: &TargetPath, rule: &Rule, within: &TargetPath) -> Option<Guard> {
        let folder = path.parent().unwrap_or_default();
        self.folder(&folder, rule, within)
            .or_else(|| self.file(path, rule))
    }
}

/// Whether a folder is one of the system's, or lies in one.
pub(crate) fn is_system_folder(layout: Layout, path: &TargetPath) -> bool {
    NameForms::of(path, layout).is_system()
}

/// A path's parts as the lists write them.
struct NameForms {
    layout: Layout,
    parts: Vec<Vec<u8>>,
}

impl NameForms {
    fn of(path: &TargetPath, layout: Layout) -> Self {
        let write = |part: &[u8]| {
            if layout.ignores_case() {
                fold(part)
            } else {
                part.to_vec()
            }
        };
        Self {
            layout,
            parts: path.parts().map(write).collect(),
        }
    }

    /// How many parts lie below a folder of the lists; nothing when it isn't above this path.
    fn below(&self, folder: &str) -> Option<usize> {
        let wanted = folder.split('/');
        let mut count = 0;
        for part in wanted {
            let own = self.parts.get(count)?;
            if part != "*" && own != part.as_bytes() {
                return None;
            }
            count += 1;
        }
        Some(self.parts.len() - count)
    }

    fn is_system(&self) -> bool {
        let mut folders = lists::system(self.layout).iter();
        folders.any(|folder| self.below(folder).is_some())
    }

    /// Whether something in this folder, or below it, may be taken by a rule.
    fn has_gap(&self, rule: &Rule) -> bool {
        let mut gaps = lists::gaps(self.layout).iter();
        gaps.any(|gap| {
            gap.may.holds(rule)
                && match (self.below(gap.folder), &gap.reach) {
                    (Some(_), Reach::Below | Reach::Endings(_)) => true,
                    (Some(deeper), Reach::Named(_)) => deeper == 0,
                    (None, _) => false,
                }
        })
    }

    /// Whether a gap reaches this file, or this folder that would go empty.
    fn is_in_gap(&self, rule: &Rule) -> bool {
        let name = self.parts.last().map_or(&b""[..], Vec::as_slice);
        let mut gaps = lists::gaps(self.layout).iter();
        gaps.any(|gap| {
            gap.may.holds(rule)
                && match (self.below(gap.folder), &gap.reach) {
                    (Some(deeper), Reach::Below) => deeper > 0,
                    (Some(deeper), Reach::Named(names)) => deeper == 1 && is_named(name, names),
                    (Some(deeper), Reach::Endings(endings)) => {
                        let name = name.to_ascii_lowercase();
                        deeper > 0 && endings.iter().any(|end| name.ends_with(end.as_bytes()))
                    }
                    (None, _) => false,
                }
        })
    }
}

/// Whether a name ends as one of these says, or begins so where it ends in `*`, or has `.log.`
/// and the like in the middle.
fn is_named(name: &[u8], names: &[&str]) -> bool {
    let name = name.to_ascii_lowercase();
    names.iter().any(|wanted| match wanted.strip_suffix('*') {
        Some(start) if start.starts_with('.') => {
            let start = start.as_bytes();
            name.windows(start.len()).any(|window| window == start)
        }
        Some(start) => name.starts_with(start.as_bytes()),
        None => name.ends_with(wanted.as_bytes()),
    })
}

/// The folders of a home that are personal by their usual names.
pub(crate) const PERSONAL: [&str; 6] = [
    "Documents",
    "Pictures",
    "Music",
    "Videos",
    "Movies",
    "Desktop",
];

/// Whether whatever the rule could match is guarded, tried on samples of its patterns; says by
/// which guard.
pub(crate) fn could_only_hit_guarded(rule: &Rule, layout: Layout) -> Option<&'static str> {
    let everything = ["sample".to_owned(), "sample/sample".to_owned()];
    let takes = match &rule.take[..] {
        [] => &everything,
        some => some,
    };
    let mut reason = None;
    for within in &rule.within {
        for usual in within.place.usual(layout) {
            let base = std::iter::once((*usual).to_owned()).chain(within.below.iter().cloned());
            let base: Vec<String> = base.filter(|part| !part.is_empty()).collect();
            for base in pattern::samples(&base.join("/")) {
                // Mostly the first sample is nobody's of the system's, and no other is made.
                for take in takes.iter().flat_map(|take| pattern::samples(take)) {
                    let path = if base.is_empty() {
                        take.clone()
                    } else {
                        format!("{base}/{take}")
                    };
                    let path = TargetPath::new(path).ok()?;
                    reason = Some(guarded_usually(&path, rule, within.place, layout)?);
                }
            }
        }
    }
    reason.map(Guard::words)
}

/// Whether a sample is guarded on any computer with the usual folders.
fn guarded_usually(path: &TargetPath, rule: &Rule, place: Place, layout: Layout) -> Option<Guard> {
    let mut parts = path.parts();
    let is_home = match parts.next() {
        Some(b"home" | b"Users") => parts.next().is_some(),
        Some(b"root") => true,
        _ => false,
    };
    let is_personal = is_home
        && parts.next().is_some_and(|name| {
            let mut own = PERSONAL.iter().map(|own| own.as_bytes());
            own.any(|own| layout.is_same_name(own, name))
        });
    if is_personal && rule.class != Class::Ask && place != Place::Downloads {
        return Some(Guard::Personal);
    }
    let guards = Guards {
        layout,
        ..Guards::default()
    };
    guards.path(path, rule, &TargetPath::root())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rule::guard::samples::rule;

    #[test]
    fn the_promises_hold_whatever_the_case_of_a_name() {
        for path in [
            "home/pia/.ssh/id_x",
            "home/pia/.SSH/x",
            "usr/share/x",
            "home/pia/.config/x/Login Data",
            "tmp/LOGINS.JSON",
            "tmp/places.sqlite-wal",
            "var/tmp/site.pem",
            "tmp/Mail/x",
            "home/pia/.cache/a.keyring",
            "etc/x",
            "var/lib/x/y",
            "tmp/letter.eml",
            "tmp/id_rsa~",
            "tmp/ring.kwl.old",
            "tmp/id_ed25519_sk (copy).pub",
            "tmp/places.sqlite.corrupt",
            "home/pia/x/Microsoft/Crypto/RSA/x",
            "tmp/.id_ed25519.swp",
            "tmp/key4.db.bak.old",
            "tmp/#site.pem#",
            "home/pia/.config/x/Login Data-journal",
        ] {
            let path = TargetPath::new(path).unwrap();
            let guard = Guards::default().path(&path, &rule("ask", ""), &TargetPath::root());
            assert!(guard.is_some(), "{path}");
        }
        for path in [
            "tmp/x",
            "home/pia/.cache/x/data_0",
            "var/lib/systemd/coredump/core.x",
        ] {
            let path = TargetPath::new(path).unwrap();
            assert_eq!(
                Guards::default().path(&path, &rule("spent", ""), &TargetPath::root()),
                None
            );
        }
    }

    #[test]
    #[expect(clippy::too_many_lines, reason = "one table, a line for each case")]
    fn the_system_of_each_layout_is_guarded_but_for_its_gaps() {
        let plain = rule("spent", "");
        let asking = rule("ask", "");
        let launchers = rule("ask", "detect = \"broken-launcher\"");
        let languages = rule("ask", "detect = \"language-not-used\"");
        let cases = [
            (
                Layout::Windows,
                "WINDOWS/System32/kernel32.dll",
                &asking,
                true,
            ),
            (Layout::Windows, "windows/TEMP/x", &plain, false),
            (Layout::Windows, "Windows/MEMORY.DMP", &plain, false),
            (Layout::Windows, "Windows/explorer.exe", &plain, true),
            (
                Layout::Windows,
                "Windows/inf/setupapi.dev.log",
                &plain,
                false,
            ),
            (Layout::Windows, "Windows/inf/usb.inf", &plain, true),
            (Layout::Windows, "Users/pia/NTUSER.DAT.LOG1", &plain, true),
            (Layout::Windows, "pagefile.sys", &asking, true),
            (
                Layout::Windows,
                "Program Files/tide/tide.exe",
                &asking,
                true,
            ),
            (Layout::Macos, "System/Library/x", &asking, true),
            (Layout::Macos, "Library/Caches/x", &plain, false),
            (Layout::Macos, "Library/LaunchAgents/x.plist", &asking, true),
            (
                Layout::Macos,
                "Library/LaunchAgents/x.plist",
                &launchers,
                false,
            ),
            (Layout::Macos, "Library/LaunchAgents/x.sh", &launchers, true),
            (
                Layout::Macos,
                "Users/pia/Library/Keychains/login.keychain-db",
                &asking,
                true,
            ),
            (
                Layout::Macos,
                "Applications/t.app/Contents/Resources/de.lproj/x",
                &asking,
                true,
            ),
            (
                Layout::Macos,
                "Applications/t.app/Contents/Resources/de.lproj/x",
                &languages,
                false,
            ),
            (
                Layout::Macos,
                "Applications/t.app/Contents/MacOS/t",
                &languages,
                true,
            ),
            (
                Layout::Linux,
                "etc/ssh/sshd_config.dpkg-old",
                &asking,
                false,
            ),
            (Layout::Linux, "etc/ssh/sshd_config.dpkg-old", &plain, true),
            (Layout::Linux, "etc/ssl/site.key.dpkg-old", &asking, true),
            (Layout::Linux, "usr/share/locale/de/x.mo", &plain, true),
        ];
        for (layout, path, rule, is_guarded) in cases {
            let guards = Guards::new(&Places::of_layout(layout), Vec::new());
            let path = TargetPath::new(path).unwrap();
            let guard = guards.path(&path, rule, &TargetPath::root());
            assert_eq!(guard.is_some(), is_guarded, "{path}: {guard:?}");
        }
    }
}
