//! Services and timers of systemd that are enabled in files (`systemd.unit(5)`): links in the folders of targets, and
//! other names of units.

use std::collections::BTreeMap;

use jolly_disk::Kind;

use crate::computer::{AccountName, TargetPath};
use crate::survey::programs::{below, place};
use crate::survey::startup::{Found, Look, SYSTEM_PART, StartSource, Switch};

/// A set of units that one service manager starts.
struct Scope<'a> {
    /// Where its links lie.
    folder: TargetPath,
    /// Where its units lie, the first that has one counts.
    units: Vec<TargetPath>,
    account: Option<&'a AccountName>,
    /// What tells its entries from those of another scope.
    prefix: &'static str,
}

pub(super) fn look(look: &mut Look<'_>) {
    let target = look.target;
    let mut scopes = vec![
        Scope {
            folder: place("etc/systemd/system"),
            units: [
                "etc/systemd/system",
                "usr/local/lib/systemd/system",
                "usr/lib/systemd/system",
                "lib/systemd/system",
            ]
            .map(place)
            .to_vec(),
            account: None,
            prefix: "",
        },
        Scope {
            folder: place("etc/systemd/user"),
            units: [
                "etc/systemd/user",
                "usr/local/lib/systemd/user",
                "usr/lib/systemd/user",
                "lib/systemd/user",
            ]
            .map(place)
            .to_vec(),
            account: None,
            prefix: "people/",
        },
    ];
    for account in &target.accounts {
        let own = below(&account.home, b".config/systemd/user");
        let units = vec![
            own.clone(),
            place("etc/systemd/user"),
            below(&account.home, b".local/share/systemd/user"),
            place("usr/lib/systemd/user"),
            place("lib/systemd/user"),
        ];
        scopes.push(Scope {
            folder: own,
            units,
            account: Some(&account.name),
            prefix: "",
        });
    }
    for scope in &scopes {
        look_in(look, scope);
    }
}

fn look_in(look: &mut Look<'_>, scope: &Scope<'_>) {
    let mut links: BTreeMap<Vec<u8>, Vec<TargetPath>> = BTreeMap::new();
    for (name, kind) in look.names(&scope.folder) {
        let path = below(&scope.folder, &name);
        match kind {
            Kind::Folder if name.ends_with(b".wants") || name.ends_with(b".requires") => {
                for (unit, kind) in look.names(&path) {
                    if kind == Kind::Link && is_started(&unit) {
                        let link = below(&path, &unit);
                        links.entry(unit).or_default().push(link);
                    }
                }
            }
            // Another name of a unit; one for nothing is a mask, and turns it off.
            Kind::Link if is_started(&name) => {
                if let Some(of) = unit_behind(look, &path)
                    && of != name
                {
                    links.entry(of).or_default().push(path);
                }
            }
            Kind::File | Kind::Folder | Kind::Link | Kind::Other => {}
        }
    }
    for (unit, links) in links {
        if look.is_over() {
            return;
        }
        add(look, scope, &unit, &links);
    }
}

/// Whether a unit starts something by itself.
fn is_started(name: &[u8]) -> bool {
    name.ends_with(b".service") || name.ends_with(b".timer")
}

/// The name of the unit that a link leads to.
fn unit_behind(look: &Look<'_>, link: &TargetPath) -> Option<Vec<u8>> {
    let disk = &**look.target.disk();
    let folder = disk
        .open_folder(look.target.root(), link.folder_bytes())
        .ok()?;
    let to = disk.read_link(&folder, link.as_name()).ok()?;
    let name = to.rsplit(|byte| *byte == b'/').next()?;
    is_started(name).then(|| name.to_vec())
}

fn add(look: &mut Look<'_>, scope: &Scope<'_>, unit: &[u8], links: &[TargetPath]) {
    let name = String::from_utf8_lossy(unit).into_owned();
    let file = unit_file(look, scope, &name);
    let text = file.as_ref().and_then(|file| look.text(file));
    let text = text.unwrap_or_default();
    let is_timer = unit.ends_with(b".timer");
    let started = if is_timer {
        let service =
            value(&text, "Unit").map_or_else(|| name.replace(".timer", ".service"), str::to_owned);
        let service = unit_file(look, scope, &service);
        service
            .and_then(|file| look.text(&file))
            .unwrap_or_default()
    } else {
        text.clone()
    };
    let command = value(&started, "ExecStart").unwrap_or_default();
    // Signs before a command say how it is run.
    let command = command.trim_start_matches(['@', '-', ':', '+', '!']);
    let program = command
        .split_whitespace()
        .next()
        .filter(|word| !word.contains(['%', '$']));
    let is_masked = look
        .stat(&below(&scope.folder, unit))
        .is_some_and(|stat| stat.kind == Kind::Link)
        && unit_behind(look, &below(&scope.folder, unit)).is_none();
    let switch = if is_masked {
        Err("masked: somebody wanted that nothing starts it")
    } else if scope.account.is_none() && is_system_part(&name) {
        Err(SYSTEM_PART)
    } else {
        Ok(Switch::Links(links.to_vec()))
    };
    let said = file.unwrap_or_else(|| links.first().cloned().unwrap_or_default());
    let key = format!("{}{name}", scope.prefix);
    look.add(&Found {
        source: if is_timer {
            StartSource::Timer
        } else {
            StartSource::Service
        },
        account: scope.account,
        key: &key,
        name: name.rsplit_once('.').map_or(&*name, |(stem, _)| stem),
        command,
        program,
        says: value(&text, "Description"),
        file: &said,
        is_on: !is_masked,
        switch,
    });
}

/// Where a unit stands; an instance stands where its template does.
fn unit_file(look: &Look<'_>, scope: &Scope<'_>, name: &str) -> Option<TargetPath> {
    let template = name.split_once('@').map(|(stem, rest)| {
        let ending = rest.rsplit_once('.').map_or("", |(_, ending)| ending);
        format!("{stem}@.{ending}")
    });
    let names = std::iter::once(name.to_owned()).chain(template);
    names
        .flat_map(|name| {
            scope
                .units
                .iter()
                .map(move |folder| below(folder, name.as_bytes()))
        })
        .find(|path| look.stat(path).is_some_and(|stat| stat.kind == Kind::File))
}

/// The first value of a key in whichever section.
fn value<'a>(text: &'a str, wanted: &str) -> Option<&'a str> {
    let lines = text.lines().map(str::trim);
    let mut values = lines.filter_map(|line| line.split_once('='));
    let found = values.find(|(key, value)| key.trim() == wanted && !value.trim().is_empty());
    found.map(|(_, value)| value.trim())
}

/// Beginnings of the names of what a system is made of: without them it may not start, or not be reached.
const SYSTEM: &[&str] = words! {
    "systemd-" "dbus" "getty" "serial-getty" "console-" "keyboard-setup" "network" "NetworkManager" "ModemManager"
    "wpa_supplicant" "ifup" "dhcp" "resolv" "ssh" "display-manager" "gdm" "lightdm" "sddm" "polkit" "udev" "udisks"
    "upower" "accounts-daemon" "apparmor" "auditd" "selinux" "rsyslog" "syslog" "cron" "anacron" "atd" "chrony" "ntp"
    "e2scrub" "fstrim" "lvm2" "mdadm" "cryptsetup" "dm-" "blk-availability" "apt-daily" "dpkg-" "man-db" "logrotate"
};

fn is_system_part(name: &str) -> bool {
    SYSTEM.iter().any(|start| name.starts_with(start))
}
