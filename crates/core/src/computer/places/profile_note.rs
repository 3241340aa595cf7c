//! The links by which browsers note for themselves that a profile is in use, and by which process. They
//! stay behind when a browser is killed, so one alone proves nothing.

use std::ffi::CStr;

use jolly_disk::Disk;
use procfs::CurrentSI as _;

use crate::computer::{Target, TargetPath};
use crate::host::{InUse, RunningProgram};

/// A process that began so long after the note, in seconds, didn't write it; clocks count in ticks.
const SLACK: i64 = 2;

/// Who uses a profile of the Chromium family: the folder that holds its profiles has a link to
/// `host-process` then.
pub(crate) fn chromium(
    target: &Target,
    in_use: &InUse,
    profile: &TargetPath,
) -> Option<RunningProgram> {
    noted(target, in_use, &profile.parent()?, c"SingletonLock", |to| {
        let (host, process) = to.rsplit_once('-')?;
        let own = std::fs::read_to_string("/proc/sys/kernel/hostname").ok()?;
        (host == own.trim_end()).then_some(process)
    })
}

/// Who uses a profile of the Gecko family: it has a link to `address:+process` then.
pub(crate) fn gecko(
    target: &Target,
    in_use: &InUse,
    profile: &TargetPath,
) -> Option<RunningProgram> {
    noted(target, in_use, profile, c"lock", |to| {
        let (_, process) = to.rsplit_once(':')?;
        Some(process.trim_start_matches('+'))
    })
}

fn noted(
    target: &Target,
    in_use: &InUse,
    folder: &TargetPath,
    name: &CStr,
    process_of: impl Fn(&str) -> Option<&str>,
) -> Option<RunningProgram> {
    let disk: &dyn Disk = &**target.disk();
    let folder = disk.open_folder(target.root(), folder.as_bytes()).ok()?;
    let to = String::from_utf8(disk.read_link(&folder, name).ok()?).ok()?;
    let process: u32 = process_of(&to)?.parse().ok()?;
    let written = disk.stat(&folder, name).ok()?.changed.seconds;
    let program = in_use.process(process)?;
    // The number may have been given to another process since.
    (began(process)? <= written + SLACK).then(|| program.clone())
}

/// When a process began, in seconds since 1970 (proc(5), `starttime` and `btime`).
fn began(process: u32) -> Option<i64> {
    let process = procfs::process::Process::new(i32::try_from(process).ok()?).ok()?;
    let ticks = process.stat().ok()?.starttime / procfs::ticks_per_second();
    let boot = procfs::KernelStats::current().ok()?.btime;
    i64::try_from(boot.checked_add(ticks)?).ok()
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::symlink;
    use std::path::Path;
    use std::sync::Arc;

    use super::*;
    use crate::computer::Layout;

    fn write(note: &Path, to: &str) {
        drop(std::fs::rename(note, note.with_extension("old")));
        symlink(to, note).unwrap();
    }

    #[test]
    fn a_note_counts_while_the_process_that_wrote_it_runs_on_this_machine() {
        let dir = tempfile::tempdir().unwrap();
        let profile = dir.path().join("home/ada/.config/heron/Default");
        std::fs::create_dir_all(&profile).unwrap();
        let disk = Arc::new(jolly_disk::RealDisk);
        let target = Target::open(disk, dir.path(), Some(Layout::Linux), &|_| None).unwrap();
        let path = TargetPath::new("home/ada/.config/heron/Default").unwrap();
        let mut child = std::process::Command::new("sleep")
            .arg("60")
            .spawn()
            .unwrap();
        let (own, pid) = (
            std::fs::read_to_string("/proc/sys/kernel/hostname"),
            child.id(),
        );
        let own = own.unwrap().trim_end().to_owned();
        let in_use = InUse::read();
        let seen = |program: Option<RunningProgram>| program.map(|program| program.process);

        let note = profile.parent().unwrap().join("SingletonLock");
        write(&note, &format!("{own}-{pid}"));
        assert_eq!(seen(chromium(&target, &in_use, &path)), Some(pid));
        write(&note, &format!("another-machine-{pid}"));
        assert_eq!(seen(chromium(&target, &in_use, &path)), None);
        for broken in ["-", "x", &format!("{own}-x"), &format!("{own}-99999999")] {
            write(&note, broken);
            assert_eq!(seen(chromium(&target, &in_use, &path)), None, "{broken}");
        }
        let note = profile.join("lock");
        write(&note, &format!("127.0.0.1:+{pid}"));
        assert_eq!(seen(gecko(&target, &in_use, &path)), Some(pid));

        child.kill().unwrap();
        child.wait().unwrap();
        assert_eq!(seen(gecko(&target, &InUse::read(), &path)), None);
        let long_ago = began(std::process::id()).unwrap();
        assert!(began(1).unwrap() <= long_ago);
    }
}
