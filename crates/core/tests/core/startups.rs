//! What starts by itself is seen on every layout; what is turned off is off by the system's own mechanism, and comes back
//! exactly.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::Layout;
use jolly_core::run::{SwitchError, Switching, switch_back, switch_off, switch_on};
use jolly_core::state::FileChange;
use jolly_core::survey::{StartEntry, startup};
use jolly_demo::{DemoLayout, Fault, FaultyDisk};

use crate::registries::{RUN, Values, keys, run_hive};
use crate::support::{Bench, now, run_id};

fn entries(bench: &Bench) -> Vec<StartEntry> {
    startup(&bench.target(), &CancelToken::default()).entries
}

fn entry(bench: &Bench, id: &str) -> StartEntry {
    let all = entries(bench);
    let found = all.iter().find(|entry| *entry.id == *id);
    let ids: Vec<String> = all.iter().map(|entry| entry.id.to_string()).collect();
    found
        .unwrap_or_else(|| panic!("no {id} among {ids:?}"))
        .clone()
}

/// Each name below a root, with what it holds, whose it is and its mode.
fn tree(root: &Path) -> BTreeMap<PathBuf, (Vec<u8>, u32, u32)> {
    let mut all = BTreeMap::new();
    let mut waiting = vec![root.to_owned()];
    while let Some(folder) = waiting.pop() {
        for found in fs::read_dir(&folder).unwrap() {
            let path = found.unwrap().path();
            let stat = path.symlink_metadata().unwrap();
            let held = if stat.is_symlink() {
                fs::read_link(&path)
                    .unwrap()
                    .into_os_string()
                    .into_encoded_bytes()
            } else if stat.is_dir() {
                waiting.push(path.clone());
                Vec::new()
            } else if stat.is_file() {
                fs::read(&path).unwrap_or_default()
            } else {
                Vec::new()
            };
            all.insert(path, (held, stat.uid(), stat.mode()));
        }
    }
    all
}

/// Turns an entry off; what has to be kept for that.
fn off(bench: &Bench, id: &str) -> Result<Vec<FileChange>, SwitchError> {
    let (target, state, run) = (bench.target(), bench.state(), run_id("off"));
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    let mut kept = Vec::new();
    switch_off(work, &entry(bench, id), |changes| {
        kept = changes.to_vec();
        Ok(())
    })
    .map(|()| kept)
}

fn back(bench: &Bench, id: &str, changes: &[FileChange]) -> Result<(), SwitchError> {
    let (target, state, run) = (bench.target(), bench.state(), run_id("back"));
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    let all = entries(bench);
    switch_back(work, changes, all.iter().find(|entry| *entry.id == *id))
}

#[test]
fn each_layout_tells_what_it_starts_and_whether_that_is_there() {
    let till = Bench::demo();
    let told = |bench: &Bench| -> Vec<(String, bool, bool, bool)> {
        let all = entries(bench).into_iter();
        all.map(|it| (it.id.to_string(), it.is_on, it.is_gone, it.switch.is_ok()))
            .collect()
    };
    let has = |all: &[(String, bool, bool, bool)], wanted: (&str, bool, bool, bool)| {
        let (id, on, gone, can) = wanted;
        assert!(
            all.contains(&(id.to_owned(), on, gone, can)),
            "{id}: {all:?}"
        );
    };
    let linux = told(&till);
    for id in [
        "autostart:pia:gullmail-notify.desktop",
        "autostart:joss:gullmail-notify.desktop",
        "autostart:pia:tidewatch.desktop",
        "service:system:lanternfish-share.service",
    ] {
        has(&linux, (id, true, false, true));
    }
    has(
        &linux,
        ("autostart:wren:ferrylog-sync.desktop", true, true, true),
    );
    assert!(
        linux
            .iter()
            .any(|(id, on, ..)| id.starts_with("cron:pia:pia:") && *on)
    );
    let notebook = Bench::of_demo(DemoLayout::Windows, Layout::Windows);
    let windows = told(&notebook);
    has(
        &windows,
        ("run-key:system:Run:Lanternfish", false, false, true),
    );
    has(
        &windows,
        ("run-key:system:Run:Ferrylog Sync", true, true, true),
    );
    has(&windows, ("run-key:pia:Run:Gullmail", true, false, true));
    has(
        &windows,
        ("service:system:LanternfishShare", true, false, true),
    );
    has(
        &windows,
        ("startup-folder:pia:Knotbook.lnk", true, false, true),
    );
    let gullmail = entry(&notebook, "run-key:pia:Run:Gullmail");
    assert_eq!(gullmail.made_by.as_deref(), Some("Slipway Works Ltd"));
    assert_eq!(gullmail.bytes, 9 << 20);
    let shared = entry(&till, "service:system:lanternfish-share.service");
    assert_eq!(shared.made_by.as_deref(), Some("the package lanternfish"));
    assert!(
        !windows.iter().any(|(id, ..)| id.contains("Schedule")),
        "the system's own"
    );
    let dock = Bench::of_demo(DemoLayout::Macos, Layout::Macos);
    let macos = told(&dock);
    let agents: Vec<&str> = macos.iter().map(|(id, ..)| id.as_str()).collect();
    assert!(
        agents.contains(&"launch-agent:pia:example.tidewatch.plist"),
        "{agents:?}"
    );
    has(&macos, ("login-item:pia:Gullmail", true, false, false));
    assert_eq!(
        entry(&dock, "login-item:pia:Gullmail").command,
        "/Applications/Gullmail.app"
    );
}

#[test]
fn what_is_turned_off_comes_back_exactly() {
    let bench = Bench::demo();
    let before = tree(&bench.root());
    for id in [
        "autostart:pia:tidewatch.desktop",
        "autostart:joss:gullmail-notify.desktop",
        "service:system:lanternfish-share.service",
    ] {
        let kept = off(&bench, id).unwrap();
        let is_on = entries(&bench).iter().any(|it| *it.id == *id && it.is_on);
        assert!(!is_on, "{id} is off");
        assert_eq!(kept.len(), 1);
        back(&bench, id, &kept).unwrap();
        assert!(entry(&bench, id).is_on, "{id} is on");
    }
    let cron = entries(&bench)
        .into_iter()
        .find(|it| it.id.starts_with("cron:"));
    let cron = cron.unwrap().id.to_string();
    let kept = off(&bench, &cron).unwrap();
    let table = bench.root().join("var/spool/cron/crontabs/pia");
    let stat = table.metadata().unwrap();
    assert_eq!(stat.permissions().mode() & 0o777, 0o600);
    assert!(
        fs::read_to_string(&table)
            .unwrap()
            .contains("# off: @reboot")
    );
    assert!(!entry(&bench, &cron).is_on);
    back(&bench, &cron, &kept).unwrap();
    // But for their times, and for a folder that a home had none of, all is as it was.
    let mut after = tree(&bench.root());
    after.retain(|path, _| {
        before.contains_key(path) || !path.ends_with("autostart") && !path.ends_with(".config")
    });
    assert_eq!(after, before);
}

#[test]
fn somebody_who_changed_it_meanwhile_keeps_what_they_wrote() {
    let bench = Bench::demo();
    let id = "autostart:pia:tidewatch.desktop";
    let file = bench
        .root()
        .join("home/pia/.config/autostart/tidewatch.desktop");
    let kept = off(&bench, id).unwrap();
    let own = fs::read_to_string(&file)
        .unwrap()
        .replace("tidewatch %U", "tidewatch --mine");
    fs::write(&file, &own).unwrap();
    back(&bench, id, &kept).unwrap();
    let text = fs::read_to_string(&file).unwrap();
    assert!(
        text.contains("--mine") && !text.contains("Hidden"),
        "{text}"
    );
    // An override that somebody made their own is not thrown away.
    let id = "autostart:joss:gullmail-notify.desktop";
    let own = bench
        .root()
        .join("home/joss/.config/autostart/gullmail-notify.desktop");
    let kept = off(&bench, id).unwrap();
    fs::write(&own, "[Desktop Entry]\nHidden=true\nExec=mine\n").unwrap();
    back(&bench, id, &kept).unwrap();
    assert_eq!(
        fs::read_to_string(&own).unwrap(),
        "[Desktop Entry]\nExec=mine\n"
    );
    // A link that leads elsewhere by now is nobody's to take.
    let id = "service:system:lanternfish-share.service";
    let seen = entry(&bench, id);
    let link = bench
        .root()
        .join("etc/systemd/system/multi-user.target.wants/lanternfish-share.service");
    let (target, state, run) = (bench.target(), bench.state(), run_id("race"));
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    let raced: Result<(), SwitchError> = switch_off(work, &seen, |_| {
        fs::rename(&link, link.with_extension("old")).unwrap();
        std::os::unix::fs::symlink("/elsewhere", &link).unwrap();
        Ok(())
    });
    assert!(
        matches!(raced, Err(SwitchError::Changed { .. })),
        "{raced:?}"
    );
    assert_eq!(fs::read_link(&link).unwrap(), Path::new("/elsewhere"));
    // What can't be kept is not done.
    let id = "autostart:pia:knotbook.desktop";
    let refused = switch_off(work, &entry(&bench, id), |_| {
        Err(SwitchError::Strange {
            path: jolly_core::computer::TargetPath::root(),
        })
    });
    assert!(refused.is_err() && entry(&bench, id).is_on);
}

#[test]
fn a_label_is_turned_off_by_the_list_of_launchd_and_nothing_else_of_it_changes() {
    let bench = Bench::of_demo(DemoLayout::Macos, Layout::Macos);
    let lists = bench.root().join("private/var/db/com.apple.xpc.launchd");
    let before = tree(&lists);
    let id = "launch-agent:pia:example.tidewatch.plist";
    let tables = "launch-daemon:system:example.tidewatch.tables.plist";
    assert!(!entry(&bench, tables).is_on, "it was off when it came");
    assert!(entry(&bench, id).is_on);
    let kept = off(&bench, id).unwrap();
    assert!(!entry(&bench, id).is_on);
    back(&bench, id, &kept).unwrap();
    assert!(entry(&bench, id).is_on);
    assert_eq!(tree(&lists), before, "the list is gone again");
    // On without a record: the list says so.
    let (target, state, run) = (bench.target(), bench.state(), run_id("on"));
    drop(off(&bench, id).unwrap());
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    switch_on(work, &entry(&bench, id)).unwrap();
    assert!(entry(&bench, id).is_on);
}

/// The hives of the notebook that say what starts.
const HIVES: [&str; 3] = [
    "Windows/System32/config/SOFTWARE",
    "Windows/System32/config/SYSTEM",
    "Users/pia/NTUSER.DAT",
];

#[test]
fn what_a_registry_starts_is_off_by_one_value_and_the_hive_is_what_it_was_when_it_is_back() {
    let bench = Bench::of_demo(DemoLayout::Windows, Layout::Windows);
    let hives = || HIVES.map(|hive| keys(fs::read(bench.root().join(hive)).unwrap()));
    let before = hives();
    let state = bench.state();
    for id in [
        "run-key:system:Run:Ferrylog Sync",
        "run-key:pia:Run:Gullmail",
        "service:system:LanternfishShare",
        "startup-folder:pia:Knotbook.lnk",
        "startup-folder:pia:Tidewatch.lnk",
    ] {
        let kept = off(&bench, id).unwrap();
        assert_eq!(kept.len(), 1);
        let is_on = entries(&bench).iter().any(|it| *it.id == *id && it.is_on);
        assert!(!is_on, "{id} is off");
        let values = |hives: &[BTreeMap<String, Values>; 3]| -> usize {
            hives
                .iter()
                .flat_map(|keys| keys.values())
                .map(BTreeMap::len)
                .sum()
        };
        assert!(values(&before).abs_diff(values(&hives())) <= 1);
        // The file as it was lies packed in the state folder.
        let copies = fs::read_dir(state.hives())
            .unwrap()
            .map(|it| it.unwrap().path());
        let copies: Vec<_> = copies
            .map(|path| zstd::decode_all(&fs::read(path).unwrap()[..]).unwrap())
            .collect();
        assert!(
            HIVES.iter().zip(&before).any(|(_, keys_before)| copies
                .iter()
                .any(|copy| keys(copy.clone()) == *keys_before))
        );
        back(&bench, id, &kept).unwrap();
        assert!(entry(&bench, id).is_on, "{id} is on");
        assert!(hives() == before, "{id}");
    }
    // Somebody who set the mark meanwhile keeps theirs; what was off when it came is turned on.
    let id = "run-key:system:Run:Lanternfish";
    let (target, run) = (bench.target(), run_id("on"));
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    switch_on(work, &entry(&bench, id)).unwrap();
    assert!(entry(&bench, id).is_on);
    fs::write(bench.root().join("hiberfil.sys"), "wake").unwrap();
    let seen = entry(&bench, id);
    assert!(seen.switch.is_err_and(|why| why.contains("sleeps")));
}

/// Wherever a switch breaks off, the hive is the old one or the new one.
#[test]
fn a_hive_is_never_half_switched() {
    let bench = Bench::bare(Layout::Windows);
    let old = run_hive(&["Gullmail"]);
    bench.tree.folder("Windows/System32").unwrap();
    bench.tree.text(HIVES[2], &old, 86_400).unwrap();
    let path = bench.root().join(HIVES[2]);
    let (state, mut call) = (bench.state(), 1);
    loop {
        fs::write(&path, &old).unwrap();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let seen = startup(&target, &CancelToken::default()).entries.remove(0);
        let run = run_id("switch");
        let work = Switching {
            target: &target,
            state: &state,
            run: &run,
            now: now(),
        };
        let calls = disk.calls();
        disk.die_at(call);
        let done = switch_off(work, &seen, |_| Ok::<_, SwitchError>(()));
        let is_over = disk.calls() < calls + call;
        let now = keys(fs::read(&path).unwrap());
        let is_off = now[RUN].is_empty();
        assert!(is_off || now == keys(old.clone()), "call {call}");
        assert!(done.is_err() || is_off, "call {call}");
        if is_over {
            assert!(call > 10 && is_off, "{call}");
            // What those left that died is gone with the one that didn't.
            let litter = bench
                .paths()
                .into_iter()
                .filter(|path| path.windows(13).any(|part| part == b".jolly-broom-"));
            assert_eq!(litter.count(), 0);
            return;
        }
        call += 1;
    }
}

/// A unit that is wanted twice is on or off, and nothing between; what is made anew lets in whom the folder above does.
#[test]
fn all_links_of_a_unit_go_or_none() {
    let bench = Bench::demo();
    let id = "service:system:lanternfish-share.service";
    let wants = bench.root().join("etc/systemd/system");
    let second = wants.join("graphical.target.wants/lanternfish-share.service");
    fs::create_dir(second.parent().unwrap()).unwrap();
    let unit = Path::new("/etc/systemd/system/lanternfish-share.service");
    std::os::unix::fs::symlink(unit, &second).unwrap();
    let first = wants.join("multi-user.target.wants/lanternfish-share.service");
    let before = tree(&wants);
    let (target, state, run) = (bench.target(), bench.state(), run_id("two"));
    let work = Switching {
        target: &target,
        state: &state,
        run: &run,
        now: now(),
    };
    let seen = entry(&bench, id);
    let raced: Result<(), SwitchError> = switch_off(work, &seen, |changes| {
        assert_eq!(changes.len(), 2);
        fs::rename(&first, first.with_extension("away")).unwrap();
        Ok(())
    });
    assert!(raced.is_err());
    assert_eq!(
        fs::read_link(&second).unwrap(),
        unit,
        "the one that was gone is back"
    );
    fs::rename(first.with_extension("away"), &first).unwrap();
    assert_eq!(tree(&wants), before);
    let kept = off(&bench, id).unwrap();
    let folder = second.parent().unwrap();
    fs::rename(folder, wants.join("moved")).unwrap();
    back(&bench, id, &kept).unwrap();
    assert_eq!(fs::read_link(&second).unwrap(), unit);
    let mode = |path: &Path| path.metadata().unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(folder), mode(&wants));
}

/// The service manager and the desktop's own generator see it as it is shown.
#[test]
fn the_systems_own_tools_agree() {
    let bench = Bench::demo();
    let root = bench.root().display().to_string();
    let enabled = || {
        let asked = Command::new("systemctl")
            .args([
                &format!("--root={root}"),
                "is-enabled",
                "lanternfish-share.service",
            ])
            .output();
        asked
            .ok()
            .map(|output| String::from_utf8_lossy(&output.stdout).trim().to_owned())
    };
    let Some(before) = enabled() else {
        jolly_demo::skipped("no systemctl here");
        return;
    };
    assert_eq!(before, "enabled");
    let id = "service:system:lanternfish-share.service";
    let kept = off(&bench, id).unwrap();
    assert_eq!(enabled().as_deref(), Some("disabled"));
    back(&bench, id, &kept).unwrap();
    assert_eq!(enabled().as_deref(), Some("enabled"));
    a_desktop_entry_is_seen_by_the_systems_generator(&bench);
    a_service_of_everybody_is_seen_by_the_service_manager(&bench);
}

/// The generator that comes with the service manager makes a unit for each entry that would start.
fn a_desktop_entry_is_seen_by_the_systems_generator(bench: &Bench) {
    let generator = "/usr/lib/systemd/user-generators/systemd-xdg-autostart-generator";
    if !Path::new(generator).exists() {
        return jolly_demo::skipped("no generator for autostart here");
    }
    let entry = "[Desktop Entry]\nType=Application\nName=True\nExec=/bin/true\n";
    bench
        .tree
        .text("etc/xdg/autostart/true.desktop", entry, 86_400)
        .unwrap();
    let config = bench.root().join("home/pia/.config");
    let starts = || {
        let units = tempfile::tempdir().unwrap();
        let made = Command::new(generator)
            .args([units.path(); 3])
            .env("HOME", bench.root().join("home/pia"))
            .env("XDG_CONFIG_HOME", &config)
            .env("XDG_CONFIG_DIRS", bench.root().join("etc/xdg"))
            .status();
        assert!(made.unwrap().success());
        let names = fs::read_dir(units.path())
            .unwrap()
            .map(|it| it.unwrap().file_name());
        names
            .into_iter()
            .any(|name| name.to_string_lossy().contains("app-true"))
    };
    assert!(starts());
    let id = "autostart:pia:true.desktop";
    let kept = off(bench, id).unwrap();
    assert!(!starts());
    back(bench, id, &kept).unwrap();
    assert!(starts());
}

/// A service of all accounts, wanted at sign-in.
fn a_service_of_everybody_is_seen_by_the_service_manager(bench: &Bench) {
    let unit = "[Service]\nExecStart=/bin/true\n[Install]\nWantedBy=default.target\n";
    bench
        .tree
        .text("etc/systemd/user/tides.service", unit, 86_400)
        .unwrap();
    let link = "etc/systemd/user/default.target.wants/tides.service";
    bench
        .tree
        .link(link, Path::new("/etc/systemd/user/tides.service"), 86_400)
        .unwrap();
    let enabled = || {
        let root = format!("--root={}", bench.root().display());
        let asked = Command::new("systemctl")
            .args([&root, "--global", "is-enabled", "tides.service"])
            .output();
        String::from_utf8_lossy(&asked.unwrap().stdout)
            .trim()
            .to_owned()
    };
    assert_eq!(enabled(), "enabled");
    let all = entries(bench);
    let found = all.iter().find(|entry| entry.id.contains("tides.service"));
    let id = found.unwrap().id.to_string();
    let kept = off(bench, &id).unwrap();
    assert_eq!(enabled(), "disabled");
    back(bench, &id, &kept).unwrap();
    assert_eq!(enabled(), "enabled");
}
