//! An opened target.

use std::collections::HashSet;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_disk::{Disk, FileKey, Folder, Kind, Stat, runner};

use crate::computer::places::{find, locate};
use crate::computer::volume::{DESCRIPTOR, StandIn};
use crate::computer::{
    Account, Identity, Layout, PathError, Places, TargetPath, Volume, accounts, layout, read_small,
};
use crate::format::{Printable, PropertyList};
use crate::host::mounts;

/// The root that is worked on, held open: every later path is resolved beneath it.
pub struct Target {
    disk: Arc<dyn Disk>,
    root: Folder,
    root_path: PathBuf,
    key: FileKey,
    /// The family of system on it.
    pub layout: Layout,
    /// What to call this computer.
    pub label: String,
    /// What it calls itself, where its files say.
    pub computer_name: Option<String>,
    /// Whose computer it is, where the target says so.
    pub owner: Option<String>,
    /// The people with a home on it.
    pub accounts: Vec<Account>,
    /// Where its places lie.
    pub places: Places,
    /// Whether it is the running computer itself.
    pub is_live: bool,
    /// Homes whose search for browser profiles was cut short.
    pub partly_searched: Vec<TargetPath>,
    /// Which dates of its files count.
    pub dates: Dates,
    /// Whether its volume is of a kind on which files can share bytes and yet be changed each for itself.
    pub can_clone: bool,
    identity: Identity,
    stand_in: Option<StandIn>,
    mount_points: HashSet<TargetPath>,
}

/// Which dates of a target's files count for their age.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Dates {
    /// The last change of what is kept about a file, and its birth, beside its modification: the system
    /// sets them, and neither an archive nor a copy brings them along.
    #[default]
    Kept,
    /// Modification alone: the files were all put there at once, by whoever built or imaged the disk.
    Written,
}

/// Hives in which rules look; of one any folder may have the name.
const HIVES: [&[u8]; 3] = [b"system32/config/software", b"ntuser.dat", b"usrclass.dat"];

/// Where the path of a hive ends in a path that leads on below it.
fn end_of_hive(path: &[u8]) -> Option<usize> {
    let small = path.to_ascii_lowercase();
    let ends = small.iter().enumerate().filter(|(_, byte)| **byte == b'/');
    let mut ends = ends.map(|(at, _)| at);
    ends.find(|end| {
        let hive = small.get(..*end).unwrap_or_default();
        HIVES.iter().any(|name| {
            let rest = hive.strip_suffix(*name);
            rest.is_some_and(|rest| rest.is_empty() || rest.ends_with(b"/"))
        }) && path.len() > end + 1
    })
}

/// Why a target can't be worked on.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum TargetError {
    #[error("there is no folder {}", path.display())]
    Absent { path: PathBuf },
    #[error("{} is not a folder", path.display())]
    NotAFolder { path: PathBuf },
    #[error("cannot open {}", path.display())]
    Unreadable { path: PathBuf, source: io::Error },
    #[error("no system was recognised below {}", path.display())]
    NotRecognised { path: PathBuf },
}

impl Target {
    /// Opens a root and finds out what is on it. `environment` is that of this process; it counts
    /// only when the target is this running computer.
    ///
    /// # Errors
    /// When the root can't be opened, or no layout is given and none is recognised.
    pub fn open(
        disk: Arc<dyn Disk>,
        path: &Path,
        layout: Option<Layout>,
        environment: &dyn Fn(&str) -> Option<OsString>,
    ) -> Result<Self, TargetError> {
        let root = disk.open_root(path).map_err(|source| match source.kind() {
            io::ErrorKind::NotFound => TargetError::Absent {
                path: path.to_owned(),
            },
            io::ErrorKind::NotADirectory => TargetError::NotAFolder {
                path: path.to_owned(),
            },
            _ => TargetError::Unreadable {
                path: path.to_owned(),
                source,
            },
        })?;
        let unreadable = |source| TargetError::Unreadable {
            path: path.to_owned(),
            source,
        };
        let key = disk.stat_folder(&root).map_err(unreadable)?.key;
        let root_path = path.canonicalize().map_err(unreadable)?;
        let stand_in = read_stand_in(&*disk, &root, &root_path);
        let layout = match layout {
            Some(layout) => layout,
            None => layout::recognise(&*disk, &root).ok_or_else(|| TargetError::NotRecognised {
                path: path.to_owned(),
            })?,
        };
        let computer_name = computer_name(&*disk, &root, layout);
        let identity = Identity::of(&*disk, &root, &root_path, stand_in.as_ref());
        let mut target = Self {
            label: label(computer_name.as_deref(), &root_path, stand_in.as_ref()),
            computer_name,
            owner: stand_in.as_ref().map(|stand_in| stand_in.owner.clone()),
            is_live: root_path == Path::new("/"),
            accounts: Vec::new(),
            places: Places::default(),
            partly_searched: Vec::new(),
            can_clone: disk.may_clone(&root),
            disk,
            root,
            root_path,
            key,
            layout,
            dates: match &stand_in {
                Some(_) => Dates::Written,
                None => Dates::Kept,
            },
            identity,
            stand_in,
            mount_points: HashSet::new(),
        };
        target.mount_points = target.read_mount_points();
        target.accounts = accounts::find_accounts(&*target.disk, &target.root, layout);
        let (places, partly) = locate::locate(&locate::PlaceContext {
            disk: &*target.disk,
            root: &target.root,
            layout,
            accounts: &target.accounts,
            people: locate::People::of(&target.accounts),
            homes: target.accounts.iter().map(|it| it.home.clone()).collect(),
            is_live: target.is_live,
            runner: Some(runner()),
            environment,
        });
        target.places = places;
        target.partly_searched = partly;
        Ok(target)
    }

    /// The layout of whatever lies at a path, when a system is recognised there.
    pub fn layout_at(disk: &dyn Disk, path: &Path) -> Option<Layout> {
        let root = disk.open_root(path).ok()?;
        layout::recognise(disk, &root)
    }

    /// The device of its volume; none where a folder only stands in for a volume, whose space nobody
    /// else shares.
    pub fn volume_device(&self) -> Option<u64> {
        self.stand_in.is_none().then_some(self.key.device)
    }

    /// What tells this computer from all others, whatever it is called and wherever it is mounted.
    pub fn identity(&self) -> &Identity {
        &self.identity
    }

    /// Whether a folder stands in for its volume, as the demo computer's does.
    pub fn is_stand_in(&self) -> bool {
        self.stand_in.is_some()
    }

    /// The disk it lies on.
    pub fn disk(&self) -> &Arc<dyn Disk> {
        &self.disk
    }

    /// The open root.
    pub fn root(&self) -> &Folder {
        &self.root
    }

    /// The root's path on this machine, for people; nothing is resolved by it again.
    pub fn root_path(&self) -> &Path {
        &self.root_path
    }

    /// Which folder the root is.
    pub fn key(&self) -> FileKey {
        self.key
    }

    /// Measures its volume.
    ///
    /// # Errors
    /// What the kernel says.
    pub fn measure(&self) -> io::Result<Volume> {
        Volume::measure(&*self.disk, &self.root, self.stand_in.as_ref())
    }

    /// Folders where the target's own system mounts other volumes, by its `etc/fstab` (fstab(5)):
    /// what seems missing below them may only be on a volume that isn't here.
    pub(crate) fn mount_points(&self) -> &HashSet<TargetPath> {
        &self.mount_points
    }

    fn read_mount_points(&self) -> HashSet<TargetPath> {
        let text = read_small(&*self.disk, &self.root, b"etc", c"fstab").unwrap_or_default();
        text.split(|byte| *byte == b'\n')
            .map(<[u8]>::trim_ascii)
            .filter(|line| !line.starts_with(b"#"))
            .filter_map(|line| {
                let mut fields = line
                    .split(u8::is_ascii_whitespace)
                    .filter(|one| !one.is_empty());
                TargetPath::from_inside(fields.nth(1)?).ok()
            })
            .filter(|path| !path.is_root())
            .collect()
    }

    /// A path as it is meant on the target: absolute or from the root, on a windows layout also
    /// with a drive's letter and backslashes.
    ///
    /// # Errors
    /// When it could lead anywhere but downwards.
    pub fn parse_user_path(&self, path: &[u8]) -> Result<TargetPath, PathError> {
        if self.layout != Layout::Windows {
            return TargetPath::from_inside(path);
        }
        let path = match path {
            [letter, b':', rest @ ..] if letter.is_ascii_alphabetic() => rest,
            path => path,
        };
        let slash = |byte: &u8| if *byte == b'\\' { b'/' } else { *byte };
        let plain: Vec<u8> = path.iter().map(slash).collect();
        // Below a registry hive the parts of a path are those of a key, and one name.
        let Some(end) = end_of_hive(&plain) else {
            return TargetPath::from_inside(&plain);
        };
        let (hive, key) = (plain.get(..end), path.get(end + 1..));
        let back = |byte: &u8| if *byte == b'/' { b'\\' } else { *byte };
        let key: Vec<u8> = key.unwrap_or_default().iter().map(back).collect();
        TargetPath::from_inside(hive.unwrap_or_default())?.join(&key)
    }

    /// A path as its names are written on the disk, where case doesn't count and only one thing is
    /// called so; else as it is given.
    pub fn with_disk_case(&self, path: &TargetPath) -> TargetPath {
        let parts: Option<Vec<String>> = path
            .parts()
            .map(|part| std::str::from_utf8(part).ok().map(find::literal))
            .collect();
        let Some(parts) = parts.filter(|_| self.layout.ignores_case()) else {
            return path.clone();
        };
        let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
        let root = TargetPath::root();
        let mut found = find::anything(&*self.disk, &self.root, &root, &parts, self.layout);
        match (found.pop(), found.is_empty()) {
            (Some((only, _)), true) => only,
            _ => path.clone(),
        }
    }

    /// Where a path of this machine lies on the target, if it does.
    pub fn inside(&self, path: &Path) -> Option<TargetPath> {
        let below = path.strip_prefix(&self.root_path).ok()?;
        TargetPath::new(below.as_os_str().as_bytes()).ok()
    }
}

/// The description of a stand-in volume, where it counts: in a folder of the running system's own disk
/// that whoever runs this owns, that nobody else may write to, and that is no volume itself. Anywhere
/// else, and where it isn't whole, it is a file like any other.
fn read_stand_in(disk: &dyn Disk, root: &Folder, path: &Path) -> Option<StandIn> {
    let name = std::ffi::CString::new(DESCRIPTOR).ok()?;
    let is_own = |stat: &Stat| stat.user == runner() && stat.mode & 0o022 == 0;
    let folder = disk.stat_folder(root).ok()?;
    let file = disk.stat(root, &name).ok()?;
    let counts = is_own(&folder)
        && is_own(&file)
        && !folder.is_mount
        && file.kind == Kind::File
        && mounts::is_on_own_disk(path);
    let text = counts.then(|| read_small(disk, root, b"", &name).ok())??;
    let stand_in: StandIn = toml::from_str(std::str::from_utf8(&text).ok()?).ok()?;
    stand_in.layout.parse::<Layout>().ok()?;
    Some(StandIn {
        label: label_of(stand_in.label.as_bytes()),
        owner: label_of(stand_in.owner.as_bytes()),
        ..stand_in
    })
}

/// The most letters of a name that a target gives itself.
const MOST_LABEL: usize = 256;

/// A name that a target gives itself, made harmless and short enough to show and to remember.
fn label_of(bytes: &[u8]) -> String {
    let shown = Printable(bytes.get(..4 * MOST_LABEL).unwrap_or(bytes)).to_string();
    shown.chars().take(MOST_LABEL).collect()
}

/// What a computer calls itself: its host name, or the name in a macos system's settings.
fn computer_name(disk: &dyn Disk, root: &Folder, layout: Layout) -> Option<String> {
    let name = match layout {
        Layout::Linux => {
            let name = read_small(disk, root, b"etc", c"hostname").ok()?;
            label_of(name.trim_ascii())
        }
        Layout::Windows => return None,
        Layout::Macos => {
            let folder = b"Library/Preferences/SystemConfiguration";
            let bytes = read_small(disk, root, folder, c"preferences.plist").ok()?;
            let list = PropertyList::read(&bytes).ok()?;
            label_of(list.text("System/System/ComputerName")?.as_bytes())
        }
    };
    (!name.is_empty()).then_some(name)
}

/// The stand-in's own label, else the computer's name, else the folder's.
fn label(name: Option<&str>, path: &Path, stand_in: Option<&StandIn>) -> String {
    let given = stand_in.map(|stand_in| stand_in.label.as_str()).or(name);
    let folder = || {
        let name = path.file_name()?;
        Some(label_of(name.as_bytes()))
    };
    given
        .map(str::to_owned)
        .or_else(folder)
        .unwrap_or_else(|| "this computer".to_owned())
}
