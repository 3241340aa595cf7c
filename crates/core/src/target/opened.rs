//! An opened target.

use std::ffi::{CStr, OsString};
use std::io::{self, Read as _};
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_disk::{Disk, FileKey, Folder, Kind};

use crate::target::volume::{DESCRIPTOR, StandIn};
use crate::target::{
    Account, Layout, Place, Places, Printable, TargetPath, Volume, account, profile, user_dirs,
};

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
    stand_in: Option<StandIn>,
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
    #[error("{} is not a description of a stand-in volume: {message}", path.display())]
    StandIn { path: PathBuf, message: String },
}

/// The most that is read of a small text file on a target; a longer one isn't what it claims.
const MOST_TEXT: u64 = 1024 * 1024;

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
        let stand_in = read_stand_in(&*disk, &root, &root_path)?;
        let layout = match layout {
            Some(layout) => layout,
            None => recognise(&*disk, &root).ok_or_else(|| TargetError::NotRecognised {
                path: path.to_owned(),
            })?,
        };
        let mut target = Self {
            label: label(&*disk, &root, &root_path, stand_in.as_ref()),
            owner: stand_in.as_ref().map(|stand_in| stand_in.owner.clone()),
            is_live: root_path == Path::new("/"),
            accounts: Vec::new(),
            places: Places::default(),
            partly_searched: Vec::new(),
            disk,
            root,
            root_path,
            key,
            layout,
            stand_in,
        };
        target.accounts = target.find_accounts();
        target.find_places(environment);
        Ok(target)
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

    /// Where a path of this machine lies on the target, if it does.
    pub fn inside(&self, path: &Path) -> Option<TargetPath> {
        let below = path.strip_prefix(&self.root_path).ok()?;
        TargetPath::new(below.as_os_str().as_bytes()).ok()
    }

    fn find_accounts(&self) -> Vec<Account> {
        let text = read_small(&*self.disk, &self.root, b"etc", c"passwd").unwrap_or_default();
        let mut accounts = account::read_passwd(&text);
        accounts.retain(|account| {
            self.disk
                .open_folder(&self.root, account.home.as_bytes())
                .is_ok()
                || self.exists(&account.home)
        });
        // Homes that the account file doesn't know: restored, or of people long removed.
        if let Ok(folder) = self.disk.open_folder(&self.root, b"home") {
            let listed = self.disk.list(&folder, &mut |entry| {
                let stat = self.disk.stat(&folder, entry.name);
                let name = Printable(entry.name.to_bytes()).to_string();
                if let Ok(stat) = stat
                    && stat.kind == Kind::Folder
                    && name != "lost+found"
                    && let Ok(home) = TargetPath::new([b"home/", entry.name.to_bytes()].concat())
                    && !accounts
                        .iter()
                        .any(|known| known.home == home || known.name == name)
                {
                    accounts.push(Account {
                        name,
                        user: stat.user,
                        home,
                    });
                }
                ControlFlow::Continue(())
            });
            // A listing that fails half-way leaves the accounts it told.
            drop(listed);
        }
        accounts.sort_by(|one, other| one.name.cmp(&other.name));
        accounts
    }

    fn exists(&self, path: &TargetPath) -> bool {
        let Some(parent) = path.parent() else {
            return true;
        };
        self.disk
            .open_folder(&self.root, parent.as_bytes())
            .and_then(|folder| self.disk.stat(&folder, &path.to_name()))
            .is_ok_and(|stat| stat.kind == Kind::Folder)
    }

    fn find_places(&mut self, environment: &dyn Fn(&str) -> Option<OsString>) {
        let mut places = Places::default();
        for place in [Place::Root, Place::Temp, Place::Logs, Place::Programs] {
            for usual in place.usual() {
                places.extend_with(place, None, TargetPath::new(*usual).ok());
            }
        }
        for (number, account) in self.accounts.clone().iter().enumerate() {
            let home = &account.home;
            let at = Some(number);
            let is_own = self.is_live
                && environment("HOME").is_some_and(|text| {
                    TargetPath::from_inside(text.as_bytes()).as_ref() == Ok(home)
                });
            let base = |variable: &str, usual: &str| {
                let named = is_own.then(|| environment(variable)).flatten();
                let named = named.filter(|path| path.as_bytes().starts_with(b"/"));
                named
                    .and_then(|path| TargetPath::from_inside(path.as_bytes()).ok())
                    .or_else(|| home.join(usual.as_bytes()).ok())
            };
            let cache = base("XDG_CACHE_HOME", ".cache");
            let config = base("XDG_CONFIG_HOME", ".config");
            let data = base("XDG_DATA_HOME", ".local/share");
            places.extend_with(Place::Home, at, Some(home.clone()));
            places.extend_with(Place::AccountTemp, at, home.join(b"tmp").ok());
            places.extend_with(Place::AccountTemp, at, home.join(b".tmp").ok());
            places.extend_with(Place::Cache, at, cache.clone());
            places.extend_with(Place::Config, at, config.clone());
            places.extend_with(Place::Data, at, data.clone());
            places.extend_with(Place::State, at, base("XDG_STATE_HOME", ".local/state"));
            places.extend_with(
                Place::Trash,
                at,
                data.and_then(|data| data.join(b"Trash").ok()),
            );
            for shared in [
                format!(".Trash/{}", account.user),
                format!(".Trash-{}", account.user),
            ] {
                places.extend_with(Place::Trash, at, TargetPath::new(shared).ok());
            }
            let usual_config = home.join(b".config").unwrap_or_default();
            let config = config.unwrap_or(usual_config);
            let text = read_small(
                &*self.disk,
                &self.root,
                config.as_bytes(),
                c"user-dirs.dirs",
            );
            let text = String::from_utf8(text.unwrap_or_default()).unwrap_or_default();
            let dirs = user_dirs::read(home, &text);
            places.extend_with(Place::Downloads, at, dirs.downloads);
            places.extend_with(Place::Desktop, at, dirs.desktop.clone());
            places.personal.extend(dirs.personal);
            places.personal.extend(dirs.desktop);
            self.find_profiles(&mut places, number, &config, cache.as_ref());
        }
        self.places = places;
    }

    /// Adds the browser profiles of an account, and the caches that mirror them.
    fn find_profiles(
        &mut self,
        places: &mut Places,
        number: usize,
        config: &TargetPath,
        cache: Option<&TargetPath>,
    ) {
        let Some(home) = self
            .accounts
            .get(number)
            .map(|account| account.home.clone())
        else {
            return;
        };
        let (profiles, is_whole) = profile::find(&*self.disk, &self.root, &home);
        if !is_whole {
            self.partly_searched.push(home.clone());
        }
        for found in profiles {
            let mirror = cache.and_then(|cache| profile::mirror(&found.path, &home, config, cache));
            let mirrored = match found.place {
                Place::GeckoProfile => Place::GeckoCache,
                _ => Place::ChromiumCache,
            };
            places.extend_with(mirrored, Some(number), mirror);
            places.extend_with(found.place, Some(number), Some(found.path));
        }
    }
}

impl Places {
    fn extend_with(&mut self, place: Place, account: Option<usize>, path: Option<TargetPath>) {
        if let Some(path) = path {
            self.add(place, account, path);
        }
    }
}

/// Reads a small regular file of a target.
fn read_small(disk: &dyn Disk, root: &Folder, folder: &[u8], name: &CStr) -> io::Result<Vec<u8>> {
    let folder = disk.open_folder(root, folder)?;
    let mut text = Vec::new();
    disk.open_file(&folder, name)?
        .take(MOST_TEXT)
        .read_to_end(&mut text)?;
    Ok(text)
}

fn read_stand_in(
    disk: &dyn Disk,
    root: &Folder,
    path: &Path,
) -> Result<Option<StandIn>, TargetError> {
    let name = std::ffi::CString::new(DESCRIPTOR).unwrap_or_default();
    let Ok(text) = read_small(disk, root, b"", &name) else {
        return Ok(None);
    };
    let wrong = |message: String| TargetError::StandIn {
        path: path.join(DESCRIPTOR),
        message,
    };
    let text = String::from_utf8(text).map_err(|error| wrong(error.to_string()))?;
    let stand_in: StandIn =
        toml::from_str(&text).map_err(|error| wrong(error.message().to_owned()))?;
    stand_in
        .layout
        .parse::<Layout>()
        .map_err(|error| wrong(error.to_string()))?;
    // The file lies on somebody's disk: what it says is shown, so it must be harmless.
    Ok(Some(StandIn {
        label: Printable(stand_in.label.as_bytes()).to_string(),
        owner: Printable(stand_in.owner.as_bytes()).to_string(),
        ..stand_in
    }))
}

/// Tells a linux layout by what only a Linux root has.
fn recognise(disk: &dyn Disk, root: &Folder) -> Option<Layout> {
    const SIGNS: [&str; 7] = [
        "etc/passwd",
        "etc/os-release",
        "usr/lib/os-release",
        "home",
        "var/log",
        "var/tmp",
        "var/cache",
    ];
    let has = |sign: &str| {
        let path = TargetPath::new(sign).ok()?;
        let folder = disk.open_folder(root, path.parent()?.as_bytes()).ok()?;
        disk.stat(&folder, &path.to_name()).ok()
    };
    SIGNS
        .iter()
        .any(|sign| has(sign).is_some())
        .then_some(Layout::Linux)
}

/// The stand-in's own label, else the computer's host name, else the folder's name.
fn label(disk: &dyn Disk, root: &Folder, path: &Path, stand_in: Option<&StandIn>) -> String {
    if let Some(stand_in) = stand_in {
        return stand_in.label.clone();
    }
    let host = read_small(disk, root, b"etc", c"hostname").unwrap_or_default();
    let host = host.trim_ascii();
    if !host.is_empty() {
        return Printable(host).to_string();
    }
    path.file_name().map_or_else(
        || "this computer".to_owned(),
        |name| Printable(name.as_bytes()).to_string(),
    )
}
