//! Which chores there are on this machine, what each would do, and why one can't be done.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, UNIX_EPOCH};

use jiff::Timestamp;
use jolly_disk::runner;

use crate::cancel::CancelToken;
use crate::chores::{Chore, ChoreId, ChoreStep};
use crate::computer::Target;
use crate::error_chain;
use crate::host::{PackageManager, Tool, mount_of, trimmed_volumes};
use crate::run::list_commands;
use crate::state::StateFolder;
use crate::survey::{files_in_pieces, mending_tool};

/// How long a service may take to answer.
const PATIENCE: Duration = Duration::from_secs(8);

/// What the system writes to its journal is kept for so long.
const KEPT: Duration = Duration::from_hours(24 * 28);

/// What the edge knows.
#[derive(Clone, Copy, Debug)]
pub struct Surroundings<'a> {
    /// Where our logs are.
    pub state: &'a StateFolder,
    /// Now.
    pub now: Timestamp,
    /// Whether there is a terminal that could be asked.
    pub has_terminal: bool,
    /// Ends the look.
    pub cancel: &'a CancelToken,
}

/// How a chore can be done, and what is known of it.
#[derive(Default)]
struct Found {
    steps: Vec<ChoreStep>,
    gives: Option<u64>,
    facts: Vec<String>,
    packages: Vec<String>,
    /// When the system itself did it last.
    last: Option<Timestamp>,
}

impl Found {
    fn of_tool(tool: Tool) -> Self {
        Self::of_tools(vec![tool])
    }

    fn of_tools(tools: Vec<Tool>) -> Self {
        Self {
            steps: tools.into_iter().map(ChoreStep::Tool).collect(),
            ..Self::default()
        }
    }
}

/// The chores of a computer: none of one that isn't the running system.
pub fn chores(target: &Target, around: &Surroundings<'_>) -> Vec<Chore> {
    if !target.is_live {
        return Vec::new();
    }
    let logs = list_commands(around.state).unwrap_or_default();
    let own_last = |id: ChoreId| {
        let done = logs.iter().flatten().filter(|log| {
            log.chore.as_deref() == Some(id.name())
                && log.code == Some(0)
                && log.identity == target.identity().as_str()
        });
        done.filter_map(|log| log.ended).max()
    };
    let chore = |id: ChoreId| {
        let found = look(id, target, around);
        let system = found.as_ref().ok().and_then(|found| found.last);
        let last = own_last(id).max(system);
        match found {
            Ok(found) => Chore {
                id,
                can: Ok(found.steps),
                gives: found.gives,
                facts: found.facts,
                packages: found.packages,
                last,
            },
            Err(why) => Chore {
                id,
                can: Err(why),
                gives: None,
                facts: Vec::new(),
                packages: Vec::new(),
                last,
            },
        }
    };
    ChoreId::ALL.into_iter().map(chore).collect()
}

fn look(id: ChoreId, target: &Target, around: &Surroundings<'_>) -> Result<Found, String> {
    match id {
        ChoreId::NameCache => name_cache(around.cancel),
        ChoreId::Clipboard => clipboard(around.has_terminal),
        ChoreId::FontCache => font_cache(),
        ChoreId::IconCaches => icon_caches(Path::new("/usr/share/icons")),
        ChoreId::MenuCaches => menu_caches(),
        ChoreId::PackageCache => package_cache(),
        ChoreId::UnneededPackages => unneeded_packages(),
        ChoreId::Journal => journal(Path::new("/var/log/journal"), around.now),
        ChoreId::Pieces => pieces(target),
        ChoreId::Trim => trim(),
    }
}

fn administrator() -> Result<(), String> {
    if runner() == 0 {
        Ok(())
    } else {
        Err("it needs the administrator".to_owned())
    }
}

/// A tool at the first of these paths, or that it isn't installed.
fn tool(paths: &[&str], arguments: &[&str]) -> Result<Tool, String> {
    let name = paths.first().and_then(|path| path.rsplit('/').next());
    Tool::at(paths, arguments)
        .ok_or_else(|| format!("{} isn't installed", name.unwrap_or_default()))
}

/// The bus, and the object on it that remembers names (org.freedesktop.resolve1(5)).
const BUS: [&str; 2] = ["/usr/bin/busctl", "/bin/busctl"];
const RESOLVER: [&str; 3] = [
    "org.freedesktop.resolve1",
    "/org/freedesktop/resolve1",
    "org.freedesktop.resolve1.Manager",
];

fn bus(verb: &str, last: &str) -> Result<Tool, String> {
    let [service, object, interface] = RESOLVER;
    let words = [
        "--system",
        "--timeout=5",
        "--auto-start=no",
        verb,
        service,
        object,
        interface,
        last,
    ];
    tool(&BUS, &words)
}

/// How many names are remembered, as the service says.
pub(super) fn names_remembered(cancel: &CancelToken) -> Result<u64, String> {
    let answer = bus("get-property", "CacheStatistics")?.ask_until(cancel, PATIENCE);
    let answer = answer.map_err(|_timed_out| "the bus doesn't answer".to_owned())?;
    if !answer.status.success() {
        let told = answer.errors.trim().lines().last().unwrap_or_default();
        let told = crate::format::Printable(told.as_bytes()).to_string();
        return Err(format!("no service that remembers names runs here: {told}"));
    }
    // `(ttt) 12 40 7`: how many are remembered, found, and not found.
    let many = answer.text.split_whitespace().nth(1);
    many.and_then(|many| many.parse().ok())
        .ok_or_else(|| "what the service says of its names isn't understood".to_owned())
}

fn name_cache(cancel: &CancelToken) -> Result<Found, String> {
    let why = match names_remembered(cancel) {
        Ok(many) => {
            administrator()?;
            let facts = vec![format!("{many} remembered now")];
            let flush = bus("call", "FlushCaches")?;
            return Ok(Found {
                facts,
                ..Found::of_tool(flush)
            });
        }
        Err(why) => why,
    };
    // The other one that is common says nothing of how many it remembers.
    if Path::new("/run/nscd/socket").exists() {
        administrator()?;
        let flush = tool(&["/usr/sbin/nscd", "/sbin/nscd"], &["--invalidate=hosts"])?;
        return Ok(Found::of_tool(flush));
    }
    Err(why)
}

fn clipboard(has_terminal: bool) -> Result<Found, String> {
    let is_set = |name: &str| std::env::var_os(name).is_some_and(|value| !value.is_empty());
    let mut steps = Vec::new();
    if is_set("WAYLAND_DISPLAY") {
        steps.extend(Tool::at(&["/usr/bin/wl-copy"], &["--clear"]));
    }
    if is_set("DISPLAY") {
        for which in ["--clipboard", "--primary"] {
            steps.extend(Tool::at(&["/usr/bin/xsel"], &["--clear", which]));
        }
    }
    let steps = steps
        .into_iter()
        .map(|tool| tool.sharing(&["WAYLAND_DISPLAY", "DISPLAY", "XAUTHORITY"]));
    let mut steps: Vec<ChoreStep> = steps.map(ChoreStep::Tool).collect();
    let mut facts = Vec::new();
    if has_terminal {
        steps.push(ChoreStep::Terminal);
        facts.push(
            "the terminal is asked, too; it gives no answer, and many don't do it".to_owned(),
        );
    }
    if steps.is_empty() {
        return Err("there is no terminal to ask, and no tool of the session".to_owned());
    }
    Ok(Found {
        steps,
        facts,
        ..Found::default()
    })
}

fn font_cache() -> Result<Found, String> {
    let words: &[&str] = if runner() == 0 {
        &["--system-only", "--force"]
    } else {
        &["--force"]
    };
    let found = Found::of_tool(tool(&["/usr/bin/fc-cache"], words)?);
    let last = newest(Path::new("/var/cache/fontconfig"));
    Ok(Found { last, ..found })
}

fn icon_caches(icons: &Path) -> Result<Found, String> {
    administrator()?;
    let mut themes: Vec<PathBuf> = folder_entries(icons)
        .filter(|theme| theme.join("index.theme").is_file())
        .collect();
    themes.sort();
    let mut tools = Vec::new();
    let mut last = None;
    for theme in &themes {
        // It is given as text; a theme whose name is none is left.
        let Some(path) = theme.to_str() else { continue };
        let words = ["--force", "--quiet", path];
        tools.push(tool(&["/usr/bin/gtk-update-icon-cache"], &words)?);
        last = last.max(modified(&theme.join("icon-theme.cache")));
    }
    if tools.is_empty() {
        return Err("no icons of programs are installed".to_owned());
    }
    Ok(Found {
        last,
        ..Found::of_tools(tools)
    })
}

fn menu_caches() -> Result<Found, String> {
    administrator()?;
    let (programs, kinds) = ("/usr/share/applications", "/usr/share/mime");
    let mut tools = Vec::new();
    for (path, words) in [
        ("/usr/bin/update-desktop-database", [programs]),
        ("/usr/bin/update-mime-database", [kinds]),
    ] {
        if words.iter().all(|folder| Path::new(folder).is_dir()) {
            tools.extend(Tool::at(&[path], &words));
        }
    }
    if tools.is_empty() {
        return Err("no tool that lists them is installed".to_owned());
    }
    let last = modified(&Path::new(programs).join("mimeinfo.cache"));
    Ok(Found {
        last,
        ..Found::of_tools(tools)
    })
}

fn manager() -> Result<PackageManager, String> {
    PackageManager::present().ok_or_else(|| "no package manager is known here".to_owned())
}

fn package_cache() -> Result<Found, String> {
    let manager = manager()?;
    administrator()?;
    let clean = manager.cleaning().map_err(|error| error_chain(&error))?;
    let (files, held) = held_in(Path::new(manager.cache()), &|_| true);
    if files == 0 {
        return Err("nothing is in it".to_owned());
    }
    Ok(Found {
        gives: Some(held),
        facts: vec![format!(
            "{} in {}",
            crate::format::counted(files, "file"),
            manager.cache()
        )],
        ..Found::of_tool(clean)
    })
}

fn unneeded_packages() -> Result<Found, String> {
    let manager = manager()?;
    let packages = manager.unneeded().map_err(|error| error_chain(&error))?;
    if packages.is_empty() {
        return Err("every package is needed by something".to_owned());
    }
    administrator()?;
    let removal = manager
        .removal_of_unneeded(&packages)
        .map_err(|error| error_chain(&error))?;
    let removal = removal.ok_or_else(|| format!("{} can't", manager.name()))?;
    Ok(Found {
        facts: vec![format!("by its own simulation: {}", packages.join(", "))],
        packages,
        ..Found::of_tool(removal)
    })
}

fn journal(folder: &Path, now: Timestamp) -> Result<Found, String> {
    let vacuum = tool(
        &["/usr/bin/journalctl", "/bin/journalctl"],
        &["--vacuum-time=4weeks"],
    )?;
    administrator()?;
    let before = now.as_second() - i64::try_from(KEPT.as_secs()).unwrap_or(0);
    // A file that is finished with has an @ in its name (journalctl(1), systemd-journald.service(8)).
    let is_old = |path: &Path| {
        let name = path.file_name().unwrap_or_default();
        name.as_encoded_bytes().contains(&b'@')
            && modified(path).is_some_and(|when| when.as_second() < before)
    };
    let (files, held) = held_in(folder, &is_old);
    if files == 0 {
        return Err("nothing in it is older than four weeks".to_owned());
    }
    Ok(Found {
        gives: Some(held),
        ..Found::of_tool(vacuum)
    })
}

fn trim() -> Result<Found, String> {
    let volumes = trimmed_volumes();
    if volumes.is_empty() {
        return Err("no disk that is mounted wants it".to_owned());
    }
    administrator()?;
    let trims = volumes.iter().map(|point| {
        let words = ["--verbose", point];
        tool(&["/usr/sbin/fstrim", "/sbin/fstrim"], &words)
    });
    let trims = trims.collect::<Result<Vec<Tool>, String>>()?;
    Ok(Found {
        facts: vec![format!("mounted at {}", volumes.join(", "))],
        last: modified(Path::new("/var/lib/systemd/timers/stamp-fstrim.timer")),
        ..Found::of_tools(trims)
    })
}

/// How long files are looked at before it is said how many lie in pieces.
const LOOK: Duration = Duration::from_secs(2);

fn pieces(target: &Target) -> Result<Found, String> {
    let began = Instant::now();
    let found = files_in_pieces(target, &|| began.elapsed() > LOOK);
    let found = found.ok_or_else(|| "its disk doesn't turn".to_owned())?;
    if !found.is_worth_a_word() {
        return Err(format!("only {} % of files lie in pieces", found.percent()));
    }
    administrator()?;
    let mount = mount_of(target.root_path()).ok_or_else(|| "its volume isn't known".to_owned())?;
    let paths = mending_tool(&mount.kind);
    let paths =
        paths.ok_or_else(|| format!("{} has no tool for it while it is mounted", mount.kind))?;
    let point = mount.point.to_str().unwrap_or("/");
    Ok(Found {
        facts: vec![format!("{} % of files lie in pieces", found.percent())],
        ..Found::of_tool(tool(paths, &["-v", point])?)
    })
}

fn folder_entries(folder: &Path) -> impl Iterator<Item = PathBuf> + use<> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| entry.path())
}

fn modified(path: &Path) -> Option<Timestamp> {
    let when = fs::symlink_metadata(path).ok()?.modified().ok()?;
    let passed = when.duration_since(UNIX_EPOCH).ok()?.as_secs();
    Timestamp::from_second(i64::try_from(passed).ok()?).ok()
}

fn newest(folder: &Path) -> Option<Timestamp> {
    folder_entries(folder)
        .filter_map(|path| modified(&path))
        .max()
}

/// How many regular files lie in a folder and the folders right in it, and what they hold; no link is followed.
pub(super) fn held_in(folder: &Path, counts: &dyn Fn(&Path) -> bool) -> (u64, u64) {
    use std::os::unix::fs::MetadataExt as _;
    let below =
        folder_entries(folder).filter(|path| path.symlink_metadata().is_ok_and(|it| it.is_dir()));
    let folders = std::iter::once(folder.to_owned()).chain(below);
    let files = folders.flat_map(|folder| folder_entries(&folder));
    files.fold((0, 0), |(many, held), path| match path.symlink_metadata() {
        Ok(it) if it.is_file() && it.len() > 0 && counts(&path) => {
            (many + 1, held + it.blocks() * 512)
        }
        _ => (many, held),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_journal_would_give_back_is_what_is_finished_with_and_old() {
        let dir = tempfile::tempdir().unwrap();
        let own = dir.path().join("0123");
        fs::create_dir(&own).unwrap();
        let old = UNIX_EPOCH + Duration::from_secs(1_000_000);
        for (name, is_old) in [
            ("system@1.journal", true),
            ("system@2.journal", false),
            ("system.journal", true),
        ] {
            let path = own.join(name);
            fs::write(&path, vec![7; 8192]).unwrap();
            if is_old {
                fs::File::options()
                    .write(true)
                    .open(&path)
                    .unwrap()
                    .set_modified(old)
                    .unwrap();
            }
        }
        std::os::unix::fs::symlink("/etc", own.join("system@3.journal")).unwrap();
        let now = modified(&own.join("system@2.journal")).unwrap();
        if runner() == 0 && Path::new("/usr/bin/journalctl").is_file() {
            assert_eq!(journal(dir.path(), now).unwrap().gives, Some(8192));
        }
        assert_eq!(held_in(dir.path(), &|_| true), (3, 3 * 8192));
        let none = journal(&dir.path().join("none"), now);
        assert!(none.is_err());
    }

    #[test]
    fn only_themes_with_an_index_have_a_cache() {
        let dir = tempfile::tempdir().unwrap();
        for name in ["quay", "river"] {
            fs::create_dir(dir.path().join(name)).unwrap();
        }
        assert!(icon_caches(dir.path()).is_err());
        fs::write(dir.path().join("quay/index.theme"), "[Icon Theme]\n").unwrap();
        if let Ok(found) = icon_caches(dir.path()) {
            assert_eq!(found.steps.len(), 1);
        }
    }
}
