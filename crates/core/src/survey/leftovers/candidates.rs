//! Folders and files where programs keep what is theirs, which no program that is there is known to have.

use std::collections::{HashMap, HashSet};

use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{Layout, Place, Target, TargetPath};
use crate::rule::of_folder;
use crate::survey::folders::folders;
use crate::survey::folders::names_in;
use crate::survey::kept_in::{Holds, Keeping, kept_in};
use crate::survey::programs::below;
use crate::survey::programs::footprint::NameIndex;
use crate::survey::programs::names::{forms, normal};
use crate::survey::programs::windows::is_systems;
use crate::survey::{Inventory, Reason};

/// Letters that a name must have to be looked for within others.
const TELLING: usize = 4;

/// Why folders of the system are none of ours to call likely.
const OF_SYSTEM: &str = "a part of the system may have made it";

/// A folder or file that may be a leftover.
pub(super) struct Candidate {
    pub path: TargetPath,
    pub account: Option<usize>,
    /// Its name in the form that its program's others share.
    pub form: String,
    /// What it is called.
    pub name: String,
    pub kind: Kind,
    pub holds: Holds,
    /// Why it can't be called likely, whatever else speaks for it.
    pub bar: Option<String>,
    /// Why it can't unless a record says that its program is gone: what only came along with others has such a name.
    pub doubt: Option<String>,
    /// Whether it lies in a folder of the system.
    pub is_of_system: bool,
}

/// Names that systems and desktops share, in their normal form: no program's.
const SHARED: &str = " accountsservice addressbook alternatives appdata applicationdata applications apt audit autostart \
    bashhistory bashlogout bashprofile bashrc binfmts bluetooth boltd byhost cache caches calendars \
    callhistorydb certificates clouddocs colors comms config configs connecteddevicesplatform contacts cookies \
    crashdumps crashreporter cron cups d3dscache dbus dconf debconf default dhcp diagnosticreports dictionaries \
    directx diskimages distupgrade dock dpkg elevateddiagnostics environment environmentd facetime fileprovider \
    fontconfig fonts fwupd globalpreferences gnupg grouppolicy gtk gtk10 gtk20 gtk30 gtk40 gtkrc gtkrc20 gvfs \
    gvfsmetadata history homeenergyd hushlogin icdd iconcache icons identityservices ime initramfstools inputrc \
    installer installers ispell jollybroom journal kernel keychains keyrings knowledge knowledgeagent local \
    locales locallow locate locationaccessstored loginwindow logrotate lostfound macros mail man mandb menus \
    mesa mesashadercache messages metadata mime mimeapps mimeappslist misc mobilesync modules networkmanager \
    networkserviceproxy notificationcenter os package packagecache packages pam pbs peerdistrepub pki \
    placeholdertilelogofolder polkit1 portables printers private profile publishers pulse python python3 qt \
    qtproject quicklook recentdocuments recentlyusedxbel roaming sambashare servertermination sgmlbase shells \
    softwaredistribution sounds speech squirreltemp ssh ssl stickersd sudo swcatalog syncservices \
    systemcertificates systemconfiguration systemd tcc temp templates themes thumbnails tiledatalayer tipsd tmp \
    transparencyd trash ucf udisks2 upower upstart usb userdirs userdirsdirs userdirslocale usoprivate usoshared \
    usrlocal videosubscriptionsd virtualstore xauthority xdg xml xmlcore xorg xresources xsession xsessionerrors \
    xsettingsd ";

/// Beginnings of names that belong to the system, in small letters.
const SYSTEM_STARTS: &[&str] = words! {
    "com.apple." "group.com.apple." "apple" ".ds_store" ".cfusertext" "desktop.ini" "ntuser" "microsoft" "windows"
    "regid." "systemd-" "x-" "lost+found"
};

/// Finds them.
pub(super) fn find(target: &Target, inventory: &Inventory, cancel: &CancelToken) -> Vec<Candidate> {
    let finder = Finder::of(target, inventory);
    let disk = &**target.disk();
    let mut found = Vec::new();
    for keeping in kept_in(target).into_iter().chain(program_roots(target)) {
        let Ok(opened) = disk.open_folder(target.root(), keeping.path.as_bytes()) else {
            continue;
        };
        let mut names = names_in(disk, &opened);
        names.sort();
        for (name, kind) in names {
            if cancel.is_cancelled() {
                return found;
            }
            let Ok(text) = name.to_str() else { continue };
            let path = below(&keeping.path, name.to_bytes());
            if finder.is_wanted((&path, text, kind), &keeping) {
                finder.add((path, text, kind), &keeping, &mut found);
            }
        }
    }
    found
}

/// What is known before anything is looked for.
struct Finder<'a> {
    target: &'a Target,
    inventory: &'a Inventory,
    known: KnownNames,
    /// What programs that are there have.
    owned: HashSet<&'a TargetPath>,
    places: HashSet<&'a TargetPath>,
    profiles: Vec<&'a TargetPath>,
}

impl<'a> Finder<'a> {
    fn of(target: &'a Target, inventory: &'a Inventory) -> Self {
        let browsers = [Place::ChromiumProfile, Place::GeckoProfile];
        let profiles = browsers.iter().flat_map(|it| target.places.of(*it));
        let own = inventory.programs.iter().flat_map(|it| &it.own);
        Self {
            target,
            inventory,
            known: KnownNames::of(inventory),
            owned: own.map(|(path, _)| path).collect(),
            places: target.places.roots().collect(),
            profiles: profiles.map(|(_, path)| path).collect(),
        }
    }

    /// Whether it could be one at all.
    fn is_wanted(&self, (path, text, kind): (&TargetPath, &str, Kind), keeping: &Keeping) -> bool {
        // A file of settings is one only where it is called like one.
        let is_settings = || {
            let endings = [".plist", ".conf", ".ini", ".cfg", "rc"];
            endings.iter().any(|it| text.ends_with(it))
        };
        (kind == Kind::Folder || (kind == Kind::File && is_settings()))
            && (!keeping.hidden || text.starts_with('.'))
            && !self.owned.contains(path)
            && !self.places.contains(path)
            && !is_shared(text)
            && !(keeping.holds == Holds::Program && is_systems(path))
            && of_folder(text).is_none()
            && !self.inventory.owned.contains(&path.to_string())
    }

    fn add(
        &self,
        (path, text, kind): (TargetPath, &str, Kind),
        keeping: &Keeping,
        found: &mut Vec<Candidate>,
    ) {
        let related = match self.known.says(text) {
            Says::IsMaker if kind == Kind::Folder => {
                let of_maker = of_maker(self.target, &self.known, &path, keeping);
                found.extend(of_maker);
                return;
            }
            Says::IsThere | Says::IsMaker => return,
            Says::Nothing(related) => related,
        };
        let is_browsers = self.profiles.iter().any(|it| it.below(&path).is_some());
        let (related, part) = match related {
            Some(Related {
                name,
                is_part: true,
            }) => (None, Some(name)),
            other => (other.map(|it| it.name), None),
        };
        let belongs = |program: String| format!("it may belong to {program}");
        let bar = related
            .map(belongs)
            .or_else(|| is_browsers.then(|| "it holds a browser's profile".to_owned()));
        let is_of_system = bar.is_none() && is_of_system(self.target, &path);
        let bar = bar.or_else(|| is_of_system.then(|| OF_SYSTEM.to_owned()));
        let made = candidate(path, (text, kind), keeping, bar);
        found.extend(made.map(|made| Candidate {
            is_of_system,
            doubt: part.map(belongs),
            ..made
        }));
    }
}

/// Folders that programs themselves lie in.
fn program_roots(target: &Target) -> Vec<Keeping> {
    let root = TargetPath::root();
    let patterns: &[&str] = match target.layout {
        Layout::Linux => &["opt"],
        Layout::Windows => &["Program Files", "Program Files (x86)"],
        Layout::Macos => &[],
    };
    let found = patterns.iter().flat_map(|it| folders(target, &root, it));
    let found = found.map(|path| Keeping {
        path,
        account: None,
        holds: Holds::Program,
        hidden: false,
    });
    found.collect()
}

fn candidate(
    path: TargetPath,
    (text, kind): (&str, Kind),
    keeping: &Keeping,
    bar: Option<String>,
) -> Option<Candidate> {
    let form = forms(text).pop()?;
    Some(Candidate {
        path,
        account: keeping.account,
        form,
        name: text.trim_start_matches('.').to_owned(),
        kind,
        holds: keeping.holds,
        bar,
        doubt: None,
        is_of_system: false,
    })
}

/// Folders of a linux system are made by many of its parts, which no list names.
fn is_of_system(target: &Target, path: &TargetPath) -> bool {
    let is_systems = ["etc/", "var/"]
        .iter()
        .any(|it| path.as_bytes().starts_with(it.as_bytes()));
    target.layout == Layout::Linux && is_systems
}

/// Of the folder of a maker whose programs are there in part, what is no present program's.
fn of_maker(
    target: &Target,
    known: &KnownNames,
    folder: &TargetPath,
    keeping: &Keeping,
) -> Vec<Candidate> {
    let disk = &**target.disk();
    let Ok(opened) = disk.open_folder(target.root(), folder.as_bytes()) else {
        return Vec::new();
    };
    let names = names_in(disk, &opened).into_iter();
    let found = names.filter_map(|(name, kind)| {
        let text = name.to_str().ok()?;
        let Says::Nothing(_) = known.says(text) else {
            return None;
        };
        let bar = "a program of the same maker is there".to_owned();
        let is_folder = kind == Kind::Folder && !is_shared(text) && of_folder(text).is_none();
        let path = below(folder, name.to_bytes());
        is_folder
            .then(|| candidate(path, (text, kind), keeping, Some(bar)))
            .flatten()
    });
    found.collect()
}

/// Whether a name is one that all programs share.
fn is_shared(name: &str) -> bool {
    let small = name.to_lowercase();
    let plain = small.trim_start_matches('.');
    let all = normal(plain.trim_end_matches(".plist"));
    all.is_empty()
        || SHARED.split(' ').any(|known| known == all)
        || SYSTEM_STARTS
            .iter()
            .any(|it| small.starts_with(it) || plain.starts_with(it))
}

/// What is known of a name.
enum Says {
    /// A program of that name is there.
    IsThere,
    /// A program of a maker of that name is there.
    IsMaker,
    /// Neither; it may be related to one that is.
    Nothing(Option<Related>),
}

/// A program that is there and whose name has another in it, or is in it.
#[derive(Clone)]
struct Related {
    /// What it is called.
    name: String,
    /// Whether it only came along with others.
    is_part: bool,
}

/// The names of programs that are there.
struct KnownNames {
    index: NameIndex,
    /// Names of at least four letters, with their program.
    long: HashMap<String, Related>,
}

impl KnownNames {
    fn of(inventory: &Inventory) -> Self {
        let mut long: HashMap<String, Related> = HashMap::new();
        for program in &inventory.programs {
            let is_part = program.reason == Reason::Dependency && !program.is_own_program();
            let names = [&program.id, &program.name]
                .into_iter()
                .flat_map(|name| forms(name));
            for name in names.filter(|name| name.chars().count() >= TELLING) {
                let related = long.entry(name).or_insert_with(|| Related {
                    name: program.name.clone(),
                    is_part,
                });
                // A program that somebody wanted comes before a part of others.
                if related.is_part && !is_part {
                    related.name.clone_from(&program.name);
                    related.is_part = false;
                }
            }
        }
        Self {
            index: NameIndex::of(&inventory.programs),
            long,
        }
    }

    fn says(&self, name: &str) -> Says {
        if self.index.owner(name).is_some() {
            return Says::IsThere;
        }
        if self.index.is_maker(name) {
            return Says::IsMaker;
        }
        let own = forms(name);
        let is_part = |known: &String| {
            own.iter().any(|form| {
                known.contains(form.as_str()) && form.chars().count() >= TELLING
                    || form.contains(known.as_str())
            })
        };
        let related = self.long.iter().filter(|(known, _)| is_part(known));
        let first = related.min_by_key(|(known, related)| (related.is_part, *known));
        Says::Nothing(first.map(|(_, related)| related.clone()))
    }
}
