//! Large things that no rule may take and that a technician has to know of: logs that are never rotated, kernels
//! that newer ones replaced, images of containers, files that the memory is written to.

use std::collections::BTreeSet;
use std::ffi::CString;
use std::ops::ControlFlow;

use jolly_disk::Kind;

use crate::computer::{Layout, Place, Target, TargetPath};
use crate::format::Printable;
use crate::survey::Sign;
use crate::survey::arrival::signs::measure;
use crate::survey::folders::folders;

/// From which size on these are told, in bytes.
const LARGE_LOG: u64 = 256 << 20;
const LARGE: u64 = 1 << 30;

/// How many kernels are kept in use: the running one and one to fall back on.
const KERNELS: usize = 2;

/// What is large on a target and no rule's, the largest first.
pub(crate) fn large(target: &Target, is_due: &dyn Fn() -> bool) -> Vec<Sign> {
    let mut found: Vec<(u64, Sign)> = Vec::new();
    found.extend(memory_files(target));
    found.extend(growing_logs(target));
    found.extend(old_kernels(target));
    let containers = measure(target, &container_stores(target), true, is_due);
    if containers.bytes >= LARGE {
        found.push((containers.bytes, Sign::Containers(containers)));
    }
    found.sort_by_key(|(bytes, _)| std::cmp::Reverse(*bytes));
    found.into_iter().map(|(_, sign)| sign).collect()
}

/// The regular files right in a folder, with what each holds, in bytes.
fn files(target: &Target, path: &TargetPath) -> Vec<(Vec<u8>, u64)> {
    let disk = target.disk();
    let mut found = Vec::new();
    let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
        return found;
    };
    let listed = disk.list(&folder, &mut |entry| {
        if let Ok(stat) = disk.stat(&folder, entry.name)
            && stat.kind == Kind::File
        {
            found.push((entry.name.to_bytes().to_vec(), stat.allocated));
        }
        ControlFlow::Continue(())
    });
    // What was told before a failure still says what it says.
    drop(listed);
    found
}

/// Files that the system writes the memory to.
fn memory_files(target: &Target) -> Vec<(u64, Sign)> {
    let names: &[&str] = match target.layout {
        Layout::Linux => &["swapfile", "swap.img"],
        Layout::Windows => &["hiberfil.sys", "pagefile.sys", "swapfile.sys"],
        Layout::Macos => &["private/var/vm/sleepimage"],
    };
    let disk = target.disk();
    let look = |name: &&str| {
        let path = TargetPath::new(*name).ok()?;
        let folder = path.parent().unwrap_or_default();
        let folder = disk.open_folder(target.root(), folder.as_bytes()).ok()?;
        let wanted = CString::new(path.name()).ok()?;
        let stat = disk.stat(&folder, &wanted).ok()?;
        let bytes = stat.allocated;
        (stat.kind == Kind::File && bytes >= LARGE)
            .then(|| (bytes, Sign::MemoryFile((*name).to_owned(), bytes)))
    };
    names.iter().filter_map(look).collect()
}

/// Large logs beside which no rotated one lies.
fn growing_logs(target: &Target) -> Vec<(u64, Sign)> {
    let mut roots: Vec<TargetPath> = target
        .places
        .of(Place::Logs)
        .map(|(_, path)| path.clone())
        .collect();
    for root in roots.clone() {
        roots.extend(folders(target, &root, "*"));
    }
    let mut found = Vec::new();
    for root in roots {
        let all = files(target, &root);
        for (name, bytes) in all.iter().filter(|(_, bytes)| *bytes >= LARGE_LOG) {
            let is_rotated = |other: &[u8]| {
                let rest = other.strip_prefix(&name[..]);
                rest.is_some_and(|rest| rest.starts_with(b".") || rest.starts_with(b"-"))
            };
            if !all.iter().any(|(other, _)| is_rotated(other))
                && let Ok(path) = root.join(name)
            {
                let shown = Printable(path.as_bytes()).to_string();
                found.push((*bytes, Sign::GrowingLog(shown, *bytes)));
            }
        }
    }
    found
}

/// Kernels that newer ones replaced.
fn old_kernels(target: &Target) -> Option<(u64, Sign)> {
    let boot = TargetPath::new("boot").ok()?;
    if target.layout != Layout::Linux {
        return None;
    }
    let all = files(target, &boot);
    let version = |name: &[u8]| {
        let starts: [&[u8]; 5] = [
            b"vmlinuz-",
            b"initrd.img-",
            b"initramfs-",
            b"System.map-",
            b"config-",
        ];
        let rest = starts.iter().find_map(|start| name.strip_prefix(*start))?;
        let rest = rest.strip_suffix(b".img").unwrap_or(rest);
        Some(crate::source::counted(rest))
    };
    let kernels = all.iter().filter(|(name, _)| name.starts_with(b"vmlinuz-"));
    let versions: BTreeSet<Vec<u8>> = kernels.filter_map(|(name, _)| version(name)).collect();
    let kept: Vec<&Vec<u8>> = versions.iter().rev().take(KERNELS).collect();
    let old = versions.len().checked_sub(KERNELS).filter(|old| *old > 0)?;
    let is_old = |name: &[u8]| version(name).is_some_and(|version| !kept.contains(&&version));
    let bytes = all
        .iter()
        .filter(|(name, _)| is_old(name))
        .map(|(_, bytes)| bytes)
        .sum();
    Some((bytes, Sign::OldKernels(old as u64, bytes)))
}

/// Where images and layers of containers are kept.
fn container_stores(target: &Target) -> Vec<TargetPath> {
    let (system, own): (&[&str], &[&str]) = match target.layout {
        Layout::Linux => (
            &["var/lib/docker", "var/lib/containers/storage"],
            &[".local/share/containers/storage", ".local/share/docker"],
        ),
        Layout::Windows => (
            &["ProgramData/Docker/windowsfilter"],
            &["AppData/Local/Docker/wsl"],
        ),
        Layout::Macos => (&[], &["Library/Containers/com.docker.docker/Data/vms"]),
    };
    let root = TargetPath::root();
    let system = system.iter().flat_map(|path| folders(target, &root, path));
    let own = target.accounts.iter().flat_map(|account| {
        own.iter()
            .flat_map(|path| folders(target, &account.home, path))
    });
    system.chain(own).collect()
}
