//! The second look of the guards, right before something is removed.
//!
//! On purpose this shares no code and no table with [`crate::rule::Guards`]: it reads the path
//! as one text of words in small letters, so that a slip in the first look is not repeated here. A test
//! holds the two together: whatever the first refuses, this one refuses.

mod left_behind;
mod names;
mod system;
#[cfg(test)]
mod tests;

use std::collections::HashSet;
use std::ffi::CString;
use std::io;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{EntryKind, Layout, Personal, Target, TargetPath};
pub(crate) use crate::rule::guard::last_look::names::of_folder;
use crate::rule::guard::last_look::names::{of_name, of_pair};
use crate::rule::guard::last_look::system::{is_systems, may_be_systems};
use crate::rule::{Class, Detect, Rule};

const SECRET: &str = "it may hold passwords, keys, bookmarks or settings";
const MAIL: &str = "it is mail";
const OWN: &str = "it belongs to this program";
const PERSONAL: &str = "it is in somebody's own folder";
const SYSTEM: &str = "it belongs to the system";
const ROOT: &str = "a rule looks in this folder, and the folder itself stays";

/// What the second look knows of a target, read once a run.
pub(crate) struct Kept {
    layout: Layout,
    own: Vec<Vec<u8>>,
    personal: HashSet<Vec<u8>>,
    /// Homes of which every folder that is seen is somebody's own.
    closed: HashSet<Vec<u8>>,
    /// The roots of places and homes, and every folder on the way to one.
    holding: HashSet<Vec<u8>>,
    /// The folders that one of somebody's own lies right in.
    above_personal: HashSet<Vec<u8>>,
}

impl Kept {
    pub(crate) fn of(target: &Target, own: &[TargetPath]) -> Self {
        let homes = target.accounts.iter().map(|account| &account.home);
        let roots = target.places.roots().chain(homes);
        Self::new(target.layout, &target.places.personal, own, roots)
    }

    fn new<'r>(
        layout: Layout,
        personal: &Personal,
        own: &[TargetPath],
        roots: impl Iterator<Item = &'r TargetPath>,
    ) -> Self {
        let mut holding = HashSet::new();
        for root in roots {
            let mut at = root.as_bytes();
            while !at.is_empty() && holding.insert(at.to_vec()) {
                at = above(at);
            }
        }
        Self {
            layout,
            own: own.iter().map(|path| path.as_bytes().to_vec()).collect(),
            personal: personal.folders().map(<[u8]>::to_vec).collect(),
            closed: personal.closed().map(<[u8]>::to_vec).collect(),
            holding,
            above_personal: personal.folders().map(above).map(<[u8]>::to_vec).collect(),
        }
    }

    /// Whether a rule that looks in `within` may take what lies in a somebody's own folder on this path.
    fn may_take_personal(&self, rule: &Rule, within: &[u8], path: &[u8]) -> bool {
        let mut from = 0;
        let mut home: &[u8] = b"";
        for part in path.split(|byte| *byte == b'/') {
            let end = from + part.len();
            let folder = path.get(..end).unwrap_or_default();
            let is_named = self.personal.contains(folder);
            let is_of_closed = self.closed.contains(home) && is_seen(self.layout, part);
            if is_named || is_of_closed {
                let names_it = within.len() >= end
                    && within.get(..end) == Some(folder)
                    && matches!(within.get(end), None | Some(b'/'));
                let picks_it = !is_named && rule.detect == Some(Detect::OldAccount);
                if rule.class != Class::Ask || !(names_it || picks_it) {
                    return false;
                }
            }
            home = folder;
            from = end + 1;
        }
        true
    }
}

/// The folder that a path lies in, which of the top ones is the root.
fn above(path: &[u8]) -> &[u8] {
    let cut = path.iter().rposition(|byte| *byte == b'/');
    path.get(..cut.unwrap_or(0)).unwrap_or_default()
}

/// Whether somebody sees a folder of their home.
fn is_seen(layout: Layout, name: &[u8]) -> bool {
    let small = String::from_utf8_lossy(name).to_lowercase();
    let is_kept_by_programs = match layout {
        Layout::Linux => false,
        Layout::Windows => ["appdata", "application data", "local settings"].contains(&&*small),
        Layout::Macos => small == "library",
    };
    !small.starts_with('.') && !is_kept_by_programs
}

/// Opens the folder at a path of the target.
pub(crate) type OpenFolder<'a> = Box<dyn Fn(&[u8]) -> io::Result<Folder> + 'a>;

/// The second look, which remembers what it found out of the folder it looked in last.
pub(crate) struct LastGuard<'a> {
    disk: &'a dyn Disk,
    open: OpenFolder<'a>,
    kept: &'a Kept,
    near: Option<FolderFacts>,
}

/// What holds for everything right in one folder.
struct FolderFacts {
    folder: Vec<u8>,
    /// Its path in small letters, with a slash at both ends; a name is put behind it.
    text: String,
    /// How much of that is the folder's.
    len: usize,
    /// Whether it may belong to the system; the name and the rule decide.
    may_be_systems: bool,
    /// Why everything in it is refused, where that doesn't hang on the rule.
    refused: Option<&'static str>,
    /// Whether a name in it may be that of somebody's own folder, or of a root or the way to one.
    may_be_personal: bool,
    may_hold: bool,
    /// Whether the last rule that looked in a place may take what is in somebody's own folder here.
    personal: Option<(Vec<u8>, Class, Option<Detect>, bool)>,
}

impl<'a> LastGuard<'a> {
    /// `open` opens folders of the target.
    pub(crate) fn new(disk: &'a dyn Disk, kept: &'a Kept, open: OpenFolder<'a>) -> Self {
        Self {
            disk,
            open,
            kept,
            near: None,
        }
    }

    /// Why a path is refused that a rule takes which looks in `within`, or nothing.
    pub(crate) fn refusal(
        &mut self,
        rule: &Rule,
        within: &TargetPath,
        (path, kind): (&TargetPath, EntryKind),
    ) -> Option<&'static str> {
        if path.is_root() {
            return Some(ROOT);
        }
        let folder = path.folder_bytes();
        if self.near.as_ref().is_some_and(|near| near.folder != folder) {
            self.near = None;
        }
        let is_mail = |folder: &[u8]| is_in_maildir(self.disk, &self.open, folder);
        let look = || FolderFacts::new(self.kept, &is_mail, folder);
        let near = self.near.get_or_insert_with(look);
        near.refusal(self.kept, rule, within, (path, kind))
    }
}

impl FolderFacts {
    fn new(kept: &Kept, is_mail: &dyn Fn(&[u8]) -> bool, folder: &[u8]) -> Self {
        let lower = small(folder);
        let text = if lower.is_empty() {
            "/".to_owned()
        } else {
            format!("/{lower}/")
        };
        let is_in = |root: &Vec<u8>| {
            let rest = folder.strip_prefix(root.as_slice());
            rest.is_some_and(|rest| root.is_empty() || rest.is_empty() || rest.starts_with(b"/"))
        };
        let refused = lower
            .split('/')
            .find_map(of_folder)
            .or_else(|| of_pair(&text))
            .or_else(|| kept.own.iter().any(is_in).then_some(OWN))
            .or_else(|| is_mail(folder).then_some(MAIL));
        Self {
            may_be_systems: may_be_systems(kept.layout, &text),
            refused,
            may_be_personal: kept.closed.contains(folder) || kept.above_personal.contains(folder),
            may_hold: folder.is_empty() || kept.holding.contains(folder),
            personal: None,
            folder: folder.to_vec(),
            len: text.len(),
            text,
        }
    }

    fn refusal(
        &mut self,
        kept: &Kept,
        rule: &Rule,
        within: &TargetPath,
        (path, kind): (&TargetPath, EntryKind),
    ) -> Option<&'static str> {
        self.text.truncate(self.len);
        match std::str::from_utf8(path.name()) {
            Ok(name) if name.is_ascii() => {
                self.text.push_str(name);
                if let Some(own) = self.text.get_mut(self.len..) {
                    own.make_ascii_lowercase();
                }
            }
            _ => self.text.push_str(&small(path.name())),
        }
        if self.may_be_systems && is_systems(kept.layout, rule, &self.text) {
            return Some(SYSTEM);
        }
        if let Some(reason) = self.refused {
            return Some(reason);
        }
        let name = self.text.get(self.len..).unwrap_or_default();
        if let Some(reason) = of_name(rule, name) {
            return Some(reason);
        }
        if !self.may_take_personal(kept, rule, within) {
            return Some(PERSONAL);
        }
        let whole = path.as_bytes();
        // What is called as a guarded folder is that folder, emptied; of all above it the answer is known. Of a
        // closed home, files right in it are not in a folder that somebody sees.
        let may_be_one =
            self.may_be_personal && (kind == EntryKind::Folder || kept.personal.contains(whole));
        if may_be_one && !kept.may_take_personal(rule, within.as_bytes(), whole) {
            return Some(PERSONAL);
        }
        if kept.own.iter().any(|own| own == whole) {
            return Some(OWN);
        }
        (self.may_hold && kept.holding.contains(whole)).then_some(ROOT)
    }

    fn may_take_personal(&mut self, kept: &Kept, rule: &Rule, within: &TargetPath) -> bool {
        let key = (rule.class, rule.detect);
        if let Some((place, class, detect, answer)) = &self.personal
            && (*class, *detect) == key
            && place == within.as_bytes()
        {
            return *answer;
        }
        let answer = kept.may_take_personal(rule, within.as_bytes(), &self.folder);
        self.personal = Some((within.as_bytes().to_vec(), key.0, key.1, answer));
        answer
    }
}

/// A path in small letters; bytes that are no text stand for letters that no table has.
fn small(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).to_lowercase()
}

/// Whether a folder is one of the three of a mail folder, or lies in one.
fn is_in_maildir(disk: &dyn Disk, open: &OpenFolder<'_>, folder: &[u8]) -> bool {
    let mut from = 0_usize;
    for part in folder.split(|byte| *byte == b'/') {
        let holder = folder.get(..from.saturating_sub(1)).unwrap_or_default();
        if matches!(part, b"cur" | b"new" | b"tmp") {
            let Ok(opened) = open(holder) else {
                return true;
            };
            let is_folder = |name: &str| {
                let name = CString::new(name).unwrap_or_default();
                let stat = disk.stat(&opened, &name);
                stat.is_ok_and(|stat| stat.kind == Kind::Folder)
            };
            if ["cur", "new", "tmp"].into_iter().all(is_folder) {
                return true;
            }
        }
        from += part.len() + 1;
    }
    false
}
