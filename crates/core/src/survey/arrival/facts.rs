//! What a computer is: by its own files, and for this one by the kernel.

use std::collections::HashMap;

use procfs::Current as _;

use crate::computer::{
    Layout, Presence, Target, TargetPath, find_folders, is_asleep, mount_folders, presence,
    read_small,
};
use crate::format::{Printable, PropertyList};
use crate::host::{HostDisk, host_disks, mount_of, volume_snapshots};
use crate::survey::arrival::signs::starts_at_sign_in;

/// One thing known of a computer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fact {
    /// What it is about.
    pub about: &'static str,
    /// What is so, made harmless.
    pub says: String,
}

/// Everything known of a target but its accounts and its space.
pub fn facts(target: &Target) -> Vec<Fact> {
    let mut facts = Vec::new();
    let mut add = |about, says: Option<String>| {
        facts.extend(says.map(|says| Fact {
            about,
            says: Printable(says.as_bytes()).to_string(),
        }));
    };
    add(
        "system",
        Some(system(target).unwrap_or_else(|| target.layout.name().to_owned())),
    );
    add("name", target.computer_name.clone());
    if target.is_live {
        add("processor", processor());
        add("memory", memory());
        add("uses it", memory_users());
        for disk in host_disks() {
            add("disk", Some(disk_words(&disk)));
        }
        add("running for", running_for());
    }
    add(
        "asleep",
        is_asleep(target).then(|| "it only sleeps: start it and shut it down whole".to_owned()),
    );
    add("mounts", mounted_nowhere(target));
    let starts = starts_at_sign_in(target);
    add(
        "sign-in",
        (starts > 0).then(|| format!("{starts} start by themselves")),
    );
    add("file system", file_system(target));
    add("snapshots", snapshots(target));
    add("where", Some(target.root_path().display().to_string()));
    facts
}

/// Snapshots of the whole volume that a volume manager holds: they are only seen.
fn snapshots(target: &Target) -> Option<String> {
    let names = volume_snapshots(&mount_of(target.root_path())?);
    (!names.is_empty()).then(|| format!("of the volume manager, only seen: {}", names.join(", ")))
}

/// Folders that a system mounts something on and that aren't there, by its list of them (fstab(5)).
fn mounted_nowhere(target: &Target) -> Option<String> {
    const SHOWN: usize = 3;
    let list = read_small(&**target.disk(), target.root(), b"etc", c"fstab").ok()?;
    let gone = mount_folders(&list).filter(|folder| {
        let path = [b"/", folder.as_bytes()].concat();
        presence(target, &TargetPath::root(), &path) == Presence::Gone
    });
    let gone: Vec<String> = gone.map(|folder| format!("/{folder}")).collect();
    let named = gone
        .get(..SHOWN.min(gone.len()))
        .unwrap_or_default()
        .join(", ");
    let is = if gone.len() == 1 { "is" } else { "are" };
    (!gone.is_empty())
        .then(|| format!("{named} of its list {is} not there; nothing is mounted on it"))
}

fn system(target: &Target) -> Option<String> {
    let (disk, root) = (&**target.disk(), target.root());
    match target.layout {
        Layout::Linux => {
            let text = read_small(disk, root, b"etc", c"os-release")
                .or_else(|_| read_small(disk, root, b"usr/lib", c"os-release"))
                .ok()?;
            let text = String::from_utf8(text).ok()?;
            let value = |key: &str| {
                let found = text
                    .lines()
                    .find_map(|line| line.strip_prefix(key)?.strip_prefix('='));
                found.map(|value| value.trim_matches(['"', '\'']).to_owned())
            };
            value("PRETTY_NAME").or_else(|| {
                let name = value("NAME")?;
                Some(
                    value("VERSION_ID").map_or(name.clone(), |version| format!("{name} {version}")),
                )
            })
        }
        Layout::Windows => {
            // Each update of the servicing parts leaves a folder that is called as its version.
            let parts = ["Windows", "servicing", "Version", "*"];
            let versions = find_folders(disk, root, &TargetPath::root(), &parts, target.layout);
            let numbers = |path: &TargetPath| -> Vec<u32> {
                let name = String::from_utf8_lossy(path.name()).into_owned();
                name.split('.')
                    .filter_map(|part| part.parse().ok())
                    .collect()
            };
            let newest = versions.iter().max_by_key(|path| numbers(path))?;
            let version = String::from_utf8_lossy(newest.name()).into_owned();
            Some(format!("windows, version {version}"))
        }
        Layout::Macos => {
            let folder = b"System/Library/CoreServices";
            let bytes = read_small(disk, root, folder, c"SystemVersion.plist").ok()?;
            let list = PropertyList::read(&bytes).ok()?;
            let name = list.text("ProductName").unwrap_or("macos");
            let version = list.text("ProductVersion").unwrap_or_default();
            Some(format!("{name} {version}").trim_end().to_owned())
        }
    }
}

fn processor() -> Option<String> {
    let told = procfs::CpuInfo::current().ok()?;
    let cores = told.num_cores();
    let name = told.model_name(0).unwrap_or("unnamed").to_owned();
    let plural = if cores == 1 { "" } else { "s" };
    Some(format!("{name}, {cores} core{plural}"))
}

fn memory() -> Option<String> {
    let told = procfs::Meminfo::current().ok()?;
    let gib = |bytes: u64| format!("{:.1} GiB", gibibytes(bytes));
    let whole = gib(told.mem_total);
    Some(match told.mem_available {
        Some(free) => format!("{whole}, {} of it free", gib(free)),
        None => whole,
    })
}

/// How many programs that use much memory are named.
const MEMORY_USERS: usize = 3;

/// The programs that use the most memory now; those of one name count as one.
fn memory_users() -> Option<String> {
    let page = procfs::page_size();
    let mut by_name: HashMap<String, u64> = HashMap::new();
    for process in procfs::process::all_processes().ok()?.flatten() {
        if let Ok(stat) = process.stat() {
            *by_name.entry(stat.comm).or_default() += stat.rss.saturating_mul(page);
        }
    }
    let mut users: Vec<(String, u64)> = by_name.into_iter().collect();
    users.sort_by(|(one, its), (other, others)| others.cmp(its).then_with(|| one.cmp(other)));
    let named = users.into_iter().take(MEMORY_USERS);
    let named: Vec<String> = named
        .map(|(name, bytes)| format!("{name} {:.1} GiB", gibibytes(bytes)))
        .collect();
    (!named.is_empty()).then(|| named.join(", "))
}

fn gibibytes(bytes: u64) -> f64 {
    bytes as f64 / f64::from(1 << 30)
}

/// A disk, and how it is as far as the kernel knows.
fn disk_words(disk: &HostDisk) -> String {
    let turns = if disk.is_rotating { ", rotating" } else { "" };
    let health = match disk.errors {
        None => "",
        Some(0) => ", no errors recorded",
        Some(_) => ", ",
    };
    let errors = match disk.errors {
        Some(errors @ 1..) => format!("{errors} errors recorded: copy what matters first"),
        _ => String::new(),
    };
    let model = if disk.model.is_empty() {
        String::new()
    } else {
        format!(", {}", disk.model)
    };
    let size = gibibytes(disk.size);
    format!(
        "{}{model}, {size:.0} GiB{turns}{health}{errors}",
        disk.device
    )
}

/// How long this machine has been running.
fn running_for() -> Option<String> {
    let seconds = procfs::Uptime::current().ok()?.uptime_duration().as_secs();
    let days = seconds / 86_400;
    Some(match (days, seconds / 3600) {
        (2.., _) => format!("{days} days"),
        (_, hours @ 2..) => format!("{hours} hours"),
        _ => format!("{} minutes", seconds / 60),
    })
}

fn file_system(target: &Target) -> Option<String> {
    let mount = mount_of(target.root_path())?;
    let way = if mount.is_read_only {
        ", read-only: nothing on it can be removed"
    } else {
        ""
    };
    Some(format!("{} on {}{way}", mount.kind, mount.source))
}
