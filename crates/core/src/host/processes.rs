//! What runs on this machine, by the file of its program.

use std::collections::HashMap;

use jolly_disk::FileKey;

use crate::host::in_use::key_of;

/// What a program uses now.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Running {
    /// How many processes of it there are.
    pub processes: u64,
    /// What they hold in memory, in bytes.
    pub memory: u64,
    /// What they have used of processors since they started, in seconds.
    pub seconds: u64,
}

/// Every program that runs; those of others are only seen by the administrator.
pub(crate) fn running() -> HashMap<FileKey, Running> {
    let (page, ticks) = (procfs::page_size(), procfs::ticks_per_second().max(1));
    let mut all: HashMap<FileKey, Running> = HashMap::new();
    let Ok(processes) = procfs::process::all_processes() else {
        return all;
    };
    for process in processes.flatten() {
        // The link leads to the file itself, also where it has another name by now.
        let file = std::fs::metadata(format!("/proc/{}/exe", process.pid()));
        let (Ok(file), Ok(stat)) = (file, process.stat()) else {
            continue;
        };
        let one = all.entry(key_of(&file)).or_default();
        one.processes += 1;
        one.memory = one.memory.saturating_add(stat.rss.saturating_mul(page));
        let used = stat.utime.saturating_add(stat.stime) / ticks;
        one.seconds = one.seconds.saturating_add(used);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn this_program_is_seen_with_what_it_uses() {
        let file = std::fs::metadata("/proc/self/exe").unwrap();
        let all = running();
        let own = all.get(&key_of(&file)).unwrap();
        assert!(own.processes >= 1 && own.memory > 1 << 20, "{own:?}");
    }
}
