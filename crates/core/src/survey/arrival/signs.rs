//! Signs: what shows at first look that a computer needs care.

use std::ops::ControlFlow;
use std::time::Duration;

use jiff::Timestamp;
use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{AccountName, Layout, Place, Target, TargetPath, Volume, read_small};
use crate::host::{failing_disk, mount_of, recorded_errors};
use crate::source::oldest_in_trash;
use crate::survey::arrival::large::large;
use crate::survey::arrival::pieces::{InPieces, files_in_pieces};
use crate::survey::folders::folders;
use crate::survey::{Belongs, Program, inventory};

/// A figure of a cheap look.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Figure {
    /// How many names.
    pub count: u64,
    /// What they hold on the disk, in bytes, where that was asked.
    pub bytes: u64,
    /// Whether time was up before all of it was seen.
    pub is_least: bool,
}

/// Something that shows that a computer needs care.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Sign {
    /// Its file system has recorded so many errors since it was last checked.
    DiskErrors(u64),
    /// This disk says itself that it is failing.
    DiskFailing(String),
    /// Its volume can only be read: the system turned it so after errors.
    ReadOnlyByErrors,
    /// Many files lie in several pieces on a disk that turns.
    InPieces(Box<InPieces>),
    /// Little is free on its volume: the share that is used, in percent.
    VolumeFull(u64),
    /// Somebody's trash holds much; with the age of its oldest thing in seconds.
    Trash(AccountName, Figure, Option<u64>),
    /// The system before an upgrade is still there.
    PreviousSystem,
    /// Many files in the system's temp folders.
    CrowdedTemp(Figure),
    /// A home that nobody has used for so many seconds.
    UnusedHome(AccountName, u64),
    /// Somebody's downloads hold much.
    Downloads(AccountName, Figure),
    /// A file that the system writes the memory to, and what it holds in bytes.
    MemoryFile(String, u64),
    /// A log that is never rotated, and what it holds in bytes.
    GrowingLog(String, u64),
    /// Kernels that newer ones replaced, and what they hold in bytes.
    OldKernels(u64, u64),
    /// Images and layers of containers.
    Containers(Figure),
    /// Programs have broken off often.
    CrashReports(Figure),
    /// Many programs start at sign-in.
    StartsAtSignIn(u64),
    /// Programs that nobody has used for a year, and what they hold in bytes, as far as records tell.
    UnusedPrograms(u64, u64),
}

impl Sign {
    /// What sweeping could give back, in bytes, as far as a first look tells; of what it can't tell
    /// nothing, but that a whole system is a lot.
    pub fn gives(&self) -> u64 {
        match self {
            // A disk that fails comes before everything else, then what the others are about.
            Self::DiskFailing(_)
            | Self::DiskErrors(_)
            | Self::ReadOnlyByErrors
            | Self::VolumeFull(_) => u64::MAX,
            Self::PreviousSystem => u64::MAX - 1,
            Self::Trash(_, figure, _)
            | Self::Downloads(_, figure)
            | Self::CrowdedTemp(figure)
            | Self::Containers(figure)
            | Self::CrashReports(figure) => figure.bytes,
            Self::MemoryFile(_, bytes)
            | Self::GrowingLog(_, bytes)
            | Self::OldKernels(_, bytes) => *bytes,
            // Programs are removed by their package manager, not swept.
            Self::UnusedHome(..)
            | Self::StartsAtSignIn(_)
            | Self::UnusedPrograms(..)
            | Self::InPieces(_) => 0,
        }
    }

    /// Whether something deals with it: piles, or a view of its own.
    pub fn leads_on(&self) -> bool {
        self.piles().is_some() || matches!(self, Self::UnusedPrograms(..) | Self::InPieces(_))
    }

    /// The piles that deal with it: their rules, by the second half of the id, and the account if it
    /// is about one. None where no rule does.
    pub fn piles(&self) -> Option<(&'static [&'static str], Option<&AccountName>)> {
        match self {
            Self::Trash(account, ..) => Some((&["trash"], Some(account))),
            Self::Downloads(account, _) => Some((&["installers"], Some(account))),
            Self::UnusedHome(account, _) => Some((&["old-accounts"], Some(account))),
            Self::PreviousSystem => Some((&["previous-system"], None)),
            Self::CrowdedTemp(_) => Some((&["system-temp"], None)),
            Self::CrashReports(_) => Some((
                &[
                    "crash-reports",
                    "small-dumps",
                    "program-dumps",
                    "program-crash-logs",
                ],
                None,
            )),
            Self::DiskFailing(_)
            | Self::DiskErrors(_)
            | Self::ReadOnlyByErrors
            | Self::InPieces(_)
            | Self::VolumeFull(_)
            | Self::MemoryFile(..)
            | Self::GrowingLog(..)
            | Self::OldKernels(..)
            | Self::Containers(_)
            | Self::UnusedPrograms(..)
            | Self::StartsAtSignIn(_) => None,
        }
    }
}

/// When a figure becomes a sign.
const FULL_PERCENT: u64 = 80;
const CROWDED: u64 = 100;
const HEAVY: u64 = 32 << 20;
const UNUSED: u64 = 180 * 86_400;
const UNUSED_PROGRAM: i64 = 365 * 86_400;
const OFTEN: u64 = 3;
const MANY_STARTS: u64 = 5;

/// Looks for signs until `is_due`; what gives back most comes first.
pub fn signs(
    target: &Target,
    volume: Option<Volume>,
    now: Timestamp,
    is_due: &dyn Fn() -> bool,
) -> Vec<Sign> {
    let age = |time: i64| u64::try_from(now.as_second().saturating_sub(time)).unwrap_or(0);
    let mut signs = disk_signs(target);
    if let Some(volume) = volume.filter(|volume| volume.size > 0) {
        let percent = volume.percent_full();
        if percent >= FULL_PERCENT {
            signs.push(Sign::VolumeFull(percent));
        }
    }
    signs.extend(previous_system(target));
    for (number, account) in target.accounts.iter().enumerate() {
        let own = |place| -> Vec<TargetPath> {
            let all = target.places.of(place);
            all.filter(|(of, _)| *of == Some(number))
                .map(|(_, path)| path.clone())
                .collect()
        };
        let trashes = own(Place::Trash);
        let trash = measure(target, &trashes, true, is_due);
        if trash.bytes >= HEAVY {
            let oldest = trashes
                .iter()
                .filter_map(|root| oldest_in_trash(target, root))
                .min();
            let sign = Sign::Trash(account.name.clone(), trash, oldest.map(age));
            signs.push(sign);
        }
        let downloads = measure(target, &own(Place::Downloads), true, is_due);
        if downloads.bytes >= HEAVY {
            let sign = Sign::Downloads(account.name.clone(), downloads);
            signs.push(sign);
        }
    }
    signs.extend(large(target, is_due));
    let temp: Vec<TargetPath> = target
        .places
        .of(Place::Temp)
        .map(|(_, path)| path.clone())
        .collect();
    let temp = measure(target, &temp, true, is_due);
    if temp.count > CROWDED {
        signs.push(Sign::CrowdedTemp(temp));
    }
    for account in &target.accounts {
        let unused = account.last_used.map(age);
        if let Some(unused) = unused.filter(|unused| *unused >= UNUSED) {
            signs.push(Sign::UnusedHome(account.name.clone(), unused));
        }
    }
    let crashes = measure(target, &crash_folders(target), true, is_due);
    if crashes.count >= OFTEN {
        signs.push(Sign::CrashReports(crashes));
    }
    let starts = starts_at_sign_in(target);
    if starts >= MANY_STARTS {
        signs.push(Sign::StartsAtSignIn(starts));
    }
    signs.extend(unused_programs(target, now, is_due));
    // The rest of the time is theirs: the share shows after some hundreds of files.
    let pieces = files_in_pieces(target, is_due).filter(InPieces::is_worth_a_word);
    signs.extend(pieces.map(|pieces| Sign::InPieces(Box::new(pieces))));
    signs.sort_by_key(|sign| std::cmp::Reverse(sign.gives()));
    signs
}

/// What the disk of a target, and its file system, say of themselves.
fn disk_signs(target: &Target) -> Vec<Sign> {
    let mount = mount_of(target.root_path()).filter(|_| !target.is_stand_in());
    let errors = target.volume_device().and_then(recorded_errors);
    let errors = errors.filter(|errors| *errors > 0);
    let failing = mount
        .as_ref()
        .and_then(|mount| failing_disk(mount, &CancelToken::default()));
    // On the bench somebody may have mounted it so, and some systems are read-only on purpose.
    let is_turned = mount.is_some_and(|mount| mount.is_read_only)
        && (errors.is_some() || (target.is_live && is_meant_to_be_written(target)));
    failing
        .map(Sign::DiskFailing)
        .into_iter()
        .chain(errors.map(Sign::DiskErrors))
        .chain(is_turned.then_some(Sign::ReadOnlyByErrors))
        .collect()
}

/// Whether the system's own list of mounts has its root, and doesn't have it read-only (fstab(5)).
fn is_meant_to_be_written(target: &Target) -> bool {
    let text = read_small(&**target.disk(), target.root(), b"etc", c"fstab").unwrap_or_default();
    String::from_utf8_lossy(&text).lines().any(|line| {
        let fields: Vec<&str> = line.split_whitespace().collect();
        let [source, point, _, options, ..] = fields[..] else {
            return false;
        };
        !source.starts_with('#') && point == "/" && !options.split(',').any(|one| one == "ro")
    })
}

/// How often it is asked whether time is up while programs are looked for.
const LOOK: Duration = Duration::from_millis(5);

/// Programs whose last use is recorded and lies more than a year back; nothing where time is up before all are known.
fn unused_programs(target: &Target, now: Timestamp, is_due: &dyn Fn() -> bool) -> Option<Sign> {
    let (belongs, cancel) = (Belongs::built_in(), CancelToken::default());
    let found = std::thread::scope(|scope| {
        let look = || inventory(target, &belongs, &cancel);
        let looking = std::thread::Builder::new().spawn_scoped(scope, look).ok()?;
        while !looking.is_finished() {
            if is_due() {
                cancel.cancel();
            }
            std::thread::sleep(LOOK);
        }
        looking.join().ok()
    })?;
    let is_unused = |program: &&Program| {
        let used = program.last_used.map(|used| now.as_second() - used);
        program.is_own_program() && used.is_some_and(|since| since > UNUSED_PROGRAM)
    };
    let unused: Vec<&Program> = found.programs.iter().filter(is_unused).collect();
    let held = unused.iter().map(|program| program.bytes.program);
    let bytes = held.fold(0, u64::saturating_add);
    let is_known = !unused.is_empty() && !cancel.is_cancelled();
    is_known.then_some(Sign::UnusedPrograms(unused.len() as u64, bytes))
}

/// Counts files and links below folders, with their bytes where asked. Follows nothing out.
pub(crate) fn measure(
    target: &Target,
    roots: &[TargetPath],
    with_bytes: bool,
    is_due: &dyn Fn() -> bool,
) -> Figure {
    let disk = target.disk();
    let mut figure = Figure::default();
    let mut waiting = roots.to_vec();
    while let Some(path) = waiting.pop() {
        if is_due() {
            figure.is_least = true;
            return figure;
        }
        let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
            continue;
        };
        let listed = disk.list(&folder, &mut |entry| {
            let stat = (with_bytes || entry.kind.is_none())
                .then(|| disk.stat(&folder, entry.name).ok())
                .flatten();
            match entry.kind.or(stat.map(|stat| stat.kind)) {
                Some(Kind::Folder) => waiting.extend(path.join(entry.name.to_bytes())),
                Some(Kind::File | Kind::Link) => {
                    figure.count += 1;
                    let bytes = stat.map_or(0, |stat| stat.allocated);
                    figure.bytes = figure.bytes.saturating_add(bytes);
                }
                Some(Kind::Other) | None => {}
            }
            if figure.count > 0 && figure.count.is_multiple_of(1_000) && is_due() {
                figure.is_least = true;
                return ControlFlow::Break(());
            }
            ControlFlow::Continue(())
        });
        if figure.is_least {
            return figure;
        }
        // A folder that stops telling its entries counts what it told.
        drop(listed);
    }
    figure
}

fn previous_system(target: &Target) -> Option<Sign> {
    let is_there = target.layout == Layout::Windows
        && !folders(target, &TargetPath::root(), "Windows.old").is_empty();
    is_there.then_some(Sign::PreviousSystem)
}

fn crash_folders(target: &Target) -> Vec<TargetPath> {
    let (system, own): (&[&str], &[&str]) = match target.layout {
        Layout::Linux => (&["var/crash", "var/lib/systemd/coredump"], &[]),
        Layout::Windows => (
            &["Windows/Minidump", "Windows/LiveKernelReports"],
            &["AppData/Local/CrashDumps"],
        ),
        Layout::Macos => (
            &["Library/Logs/DiagnosticReports"],
            &["Library/Logs/DiagnosticReports"],
        ),
    };
    let root = TargetPath::root();
    let mut found: Vec<TargetPath> = system
        .iter()
        .flat_map(|path| folders(target, &root, path))
        .collect();
    for account in &target.accounts {
        found.extend(
            own.iter()
                .flat_map(|path| folders(target, &account.home, path)),
        );
    }
    found
}

/// How many entries start a program by themselves when somebody signs in.
pub(crate) fn starts_at_sign_in(target: &Target) -> u64 {
    let (system, own, ending): (&[&str], &str, &[u8]) = match target.layout {
        Layout::Linux => (&["etc/xdg/autostart"], ".config/autostart", b".desktop"),
        Layout::Windows => (
            &["ProgramData/Microsoft/Windows/Start Menu/Programs/Startup"],
            "AppData/Roaming/Microsoft/Windows/Start Menu/Programs/Startup",
            b".lnk",
        ),
        Layout::Macos => (
            &["Library/LaunchAgents", "Library/LaunchDaemons"],
            "Library/LaunchAgents",
            b".plist",
        ),
    };
    let root = TargetPath::root();
    let mut all: Vec<TargetPath> = system
        .iter()
        .flat_map(|path| folders(target, &root, path))
        .collect();
    for account in &target.accounts {
        all.extend(folders(target, &account.home, own));
    }
    let disk = target.disk();
    let mut count = 0;
    for path in all {
        let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
            continue;
        };
        let listed = disk.list(&folder, &mut |entry| {
            let name = entry.name.to_bytes().to_ascii_lowercase();
            count += u64::from(name.ends_with(ending));
            ControlFlow::Continue(())
        });
        drop(listed);
    }
    count
}
