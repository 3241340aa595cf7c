//! The inventory of programs: what systems note of them, and which folders are whose.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::{Layout, Target};
use jolly_core::survey::{Belongs, Inventory, Program, ProgramSource, Reason, inventory, programs};
use jolly_demo::DemoLayout;
use jolly_disk::RealDisk;

use crate::support::{Bench, DAY, NOW};

fn found(bench: &Bench) -> Inventory {
    programs(
        &bench.target(),
        &Belongs::built_in(),
        &CancelToken::default(),
    )
}

fn named<'i>(found: &'i Inventory, name: &str, source: ProgramSource) -> &'i Program {
    let mut all = found.programs.iter();
    let one = all.find(|one| one.name == name && one.source == source);
    one.unwrap_or_else(|| panic!("{name} is not in {:#?}", found.programs))
}

fn paths(program: &Program) -> Vec<String> {
    let all = program.footprint.iter();
    all.map(|held| held.path.to_string()).collect()
}

#[test]
fn the_demo_computers_name_their_programs_and_what_is_whose() {
    let linux = found(&Bench::demo());
    assert_eq!(linux.unread, []);
    let knotbook = named(&linux, "Knotbook", ProgramSource::Dpkg);
    assert_eq!(
        (&*knotbook.version, knotbook.reason),
        ("4.2.1", Reason::ByHand)
    );
    let own = paths(knotbook);
    for path in ["var/lib/knotbook", "home/pia/.cache/knotbook"] {
        assert!(
            own.iter().any(|own| own == path),
            "{path} is not in {own:?}"
        );
    }
    assert!(knotbook.bytes.data >= 6 << 20 && knotbook.bytes.cache > 0);
    assert_eq!(
        named(&linux, "libquay2", ProgramSource::Dpkg).reason,
        Reason::Dependency
    );
    assert_eq!(
        named(&linux, "quay-base", ProgramSource::Dpkg).reason,
        Reason::System
    );
    assert!(
        linux
            .programs
            .iter()
            .all(|one| !one.name.eq_ignore_ascii_case("ferrylog"))
    );
    named(&linux, "lanternfish", ProgramSource::AppImage);

    let windows = found(&Bench::of_demo(DemoLayout::Windows, Layout::Windows));
    assert_eq!(windows.unread, []);
    let tidewatch = named(&windows, "Tidewatch", ProgramSource::UninstallRecord);
    assert_eq!(paths(tidewatch), ["Program Files (x86)/Tidewatch"]);
    assert_eq!(tidewatch.last_used, Some(NOW - 430 * DAY));
    assert_eq!(tidewatch.maker.as_deref(), Some("Slipway Works Ltd"));
    let heron = named(&windows, "Heron", ProgramSource::UninstallRecord);
    assert!(heron.bytes.cache > heron.bytes.data, "{heron:?}");

    let macos = found(&Bench::of_demo(DemoLayout::Macos, Layout::Macos));
    assert_eq!(macos.unread, []);
    let tidewatch = named(&macos, "Tidewatch", ProgramSource::Bundle);
    assert_eq!(
        (&*tidewatch.id, &*tidewatch.version),
        ("example.tidewatch", "2.3")
    );
    assert!(
        paths(tidewatch).contains(&"Users/joss/Library/Containers/example.tidewatch".to_owned())
    );

    // Its program is for two processors, and what the later one needs beside says which this computer has.
    let processors = tidewatch.processors.as_ref().unwrap();
    assert_eq!(
        (processors.own, processors.others(), processors.is_sealed),
        (Some("arm64"), Some(12 << 20), false)
    );
    assert_eq!(processors.parts.len(), 2);
    assert!(
        named(&macos, "Heron", ProgramSource::Bundle)
            .processors
            .is_none()
    );

    for inventory in [&linux, &windows, &macos] {
        let all = inventory.programs.iter().flat_map(paths);
        let mut times: BTreeMap<String, u32> = BTreeMap::new();
        all.for_each(|path| *times.entry(path).or_default() += 1);
        assert!(
            times.values().all(|many| *many == 1),
            "measured twice: {times:?}"
        );
    }
}

/// The system that the tests run on is asked by its own program, too.
#[test]
fn the_inventory_is_complete_against_the_systems_own_list() {
    let format = "${binary:Package}\t${Version}\t${db:Status-Status}\n";
    let Ok(own) = Command::new("dpkg-query")
        .args(["-W", "-f", format])
        .output()
    else {
        jolly_demo::skipped("this system has no dpkg to compare with");
        return;
    };
    let own = String::from_utf8(own.stdout).unwrap();
    let gone = ["not-installed", "config-files"];
    let mut wanted: Vec<(String, String)> = Vec::new();
    for line in own.lines() {
        let [name, version, state] = *line.split('\t').collect::<Vec<_>>() else {
            panic!("{line}");
        };
        if !gone.contains(&state) {
            let name = name.split(':').next().unwrap_or(name);
            wanted.push((name.to_owned(), version.to_owned()));
        }
    }
    let target = Target::open(Arc::new(RealDisk), Path::new("/"), None, &|_| None).unwrap();
    let found = inventory(&target, &Belongs::built_in(), &CancelToken::default());
    let dpkg = found
        .programs
        .iter()
        .filter(|one| one.source == ProgramSource::Dpkg);
    let mut listed: Vec<(String, String)> = dpkg
        .map(|one| {
            let name = one.id.split(':').next().unwrap_or(&one.id);
            (name.to_owned(), one.version.clone())
        })
        .collect();
    wanted.sort();
    listed.sort();
    assert_eq!(listed, wanted);
}

#[test]
fn every_kind_of_record_on_linux_is_read() {
    let bench = Bench::new();
    let text = |path: &str, bytes: &str| drop(bench.tree.text(path, bytes, DAY).unwrap());
    let start = |path: &str| {
        text(path, "#!/bin/sh\n");
        bench.tree.mode(path, 0o755).unwrap();
    };
    text(
        "var/lib/pacman/local/tide-2.1-1/desc",
        "%NAME%\ntide\n\n%VERSION%\n2.1-1\n\n%SIZE%\n4096\n\n%INSTALLDATE%\n1700000000\n\n%REASON%\n1\n",
    );
    text(
        "var/lib/pacman/local/tide-2.1-1/files",
        "%FILES%\nusr/\nusr/bin/tide\nopt/tide/run\n",
    );
    text("var/lib/pacman/local/broken/desc", "%VERSION%\n1\n");
    text(
        "lib/apk/db/installed",
        "P:musl\nV:1.2\nI:600\n\nP:quay\nV:3\nI:700\nF:usr/bin\nR:quay\n\n",
    );
    text("etc/apk/world", "quay>2\n");
    start("usr/bin/tide");
    start("usr/bin/quay");
    start("usr/bin/nobodys");
    text("usr/bin/notes.txt", "no program");
    start("opt/tide/run");
    start("opt/Heron Two/bin/heron2");
    text("opt/left/notes.txt", "nothing that starts");
    bench
        .tree
        .folder("var/lib/flatpak/app/example.quay.Lantern/x86_64")
        .unwrap();
    bench
        .tree
        .file("var/lib/snapd/snaps/sail_7.snap", 4096, DAY)
        .unwrap();
    bench
        .tree
        .file("var/lib/snapd/snaps/sail_12.snap", 8192, DAY)
        .unwrap();
    start("home/ada/.cargo/bin/knots");
    start("home/ada/Applications/Gull-1.2-x86_64.AppImage");
    let store = "nix/store/0123456789abcdfghijklmnpqrsvwxyz-profile";
    text(
        &format!("{store}/manifest.json"),
        r#"{"elements":[{"storePaths":["/nix/store/0a1b2c3d4f5g6h7i8j9k0l1m2n3p4q5r-anchor-light-2.4"]}]}"#,
    );
    let link = format!("/{store}");
    bench
        .tree
        .link("nix/var/nix/profiles/default-3-link", Path::new(&link), DAY)
        .unwrap();
    text(
        "home/ada/.local/share/applications/sextant.desktop",
        "[Desktop Entry]\nType=Application\nName=Sextant\nExec=/srv/sextant/run\n",
    );
    text(
        "usr/share/applications/quay-notes.desktop",
        "[Desktop Entry]\nType=Application\nName=Quay Notes\nExec=quay\n",
    );
    start("srv/sextant/run");
    bench
        .tree
        .link(
            "home/ada/.local/bin/halyard",
            Path::new("../lib/halyard"),
            DAY,
        )
        .unwrap();
    bench
        .tree
        .link(
            "home/ada/.local/bin/dangling",
            Path::new("../lib/none"),
            DAY,
        )
        .unwrap();
    start("home/ada/.local/lib/halyard");
    text("home/ada/.config/tide/tide.conf", "a");
    text("home/ada/.local/share/Heron Two/book.db", "a");
    text("home/ada/.var/app/example.quay.Lantern/cache/x", "a");

    let found = found(&bench);
    let tide = named(&found, "tide", ProgramSource::Pacman);
    assert_eq!(
        (tide.installed, tide.reason),
        (Some(1_700_000_000), Reason::Dependency)
    );
    assert_eq!(paths(tide), ["opt/tide", "home/ada/.config/tide"]);
    assert_eq!(
        named(&found, "Quay Notes", ProgramSource::Apk).reason,
        Reason::ByHand
    );
    assert_eq!(
        named(&found, "musl", ProgramSource::Apk).reason,
        Reason::Dependency
    );
    named(&found, "nobodys", ProgramSource::Executable);
    named(&found, "knots", ProgramSource::Executable);
    let heron = named(&found, "Heron Two", ProgramSource::Folder);
    assert_eq!(
        paths(heron),
        ["opt/Heron Two", "home/ada/.local/share/Heron Two"]
    );
    let sail = named(&found, "sail", ProgramSource::Snap);
    assert_eq!((&*sail.version, sail.footprint.len()), ("12", 2));
    let gull = named(&found, "Gull", ProgramSource::AppImage);
    assert_eq!(gull.version, "1.2");
    let anchor = named(&found, "anchor-light", ProgramSource::Nix);
    assert_eq!(anchor.version, "2.4");
    let lantern = named(&found, "Lantern", ProgramSource::Flatpak);
    assert!(lantern.bytes.cache > 0, "{lantern:?}");
    let unread: Vec<String> = found
        .unread
        .iter()
        .map(|(path, _)| path.to_string())
        .collect();
    assert_eq!(unread, ["var/lib/pacman/local/broken"]);
    let names: Vec<&str> = found.programs.iter().map(|one| &*one.name).collect();
    named(&found, "Sextant", ProgramSource::Launcher);
    named(&found, "halyard", ProgramSource::Executable);
    for none in ["left", "notes.txt", "dangling"] {
        assert!(!names.contains(&none), "{names:?}");
    }
}

#[test]
fn what_is_damaged_or_leads_elsewhere_is_told_and_never_followed() {
    let bench = Bench::new();
    let text = |path: &str, bytes: &[u8]| drop(bench.tree.text(path, bytes, DAY).unwrap());
    // A pipe would keep whoever opens it waiting.
    bench.tree.pipe("var/lib/dpkg/status", DAY).unwrap();
    text(
        "usr/lib/sysimage/rpm/rpmdb.sqlite",
        b"SQLite format 3\0 and no more",
    );
    // What can't be listed may hold anything; a second name of a folder is none of its own.
    let link = |path: &str, to: &str| bench.tree.link(path, Path::new(to), DAY).unwrap();
    link("var/lib/pacman/local", "/etc");
    link("home/ada/bin", ".local/bin");
    text("opt/quay/run", b"#!/bin/sh\n");
    bench.tree.mode("opt/quay/run", 0o755).unwrap();
    bench
        .tree
        .link("opt/quay/again", Path::new("."), DAY)
        .unwrap();
    bench
        .tree
        .link("home/ada/.config/quay", Path::new("/etc"), DAY)
        .unwrap();
    bench
        .tree
        .file("home/ada/.cache/quay/one", 1 << 20, DAY)
        .unwrap();
    bench
        .tree
        .hard_link("home/ada/.cache/quay/one", "home/ada/.cache/quay/two")
        .unwrap();
    text("home/ada/.cache/quay/\x1b[31mred", b"x");
    let found = found(&bench);
    let unread: Vec<String> = found
        .unread
        .iter()
        .map(|(path, _)| path.to_string())
        .collect();
    assert_eq!(
        unread,
        [
            "var/lib/dpkg/status",
            "usr/lib/sysimage/rpm/rpmdb.sqlite",
            "var/lib/pacman/local"
        ]
    );
    let quay = named(&found, "quay", ProgramSource::Folder);
    assert!(
        (1 << 20..(1 << 20) + 65_536).contains(&quay.bytes.cache),
        "{:?}",
        quay.bytes
    );
    assert_eq!(quay.bytes.data, 0);

    let windows = Bench::bare(Layout::Windows);
    let text = |path: &str, bytes: &[u8]| drop(windows.tree.text(path, bytes, DAY).unwrap());
    text("Windows/System32/config/SYSTEM", b"");
    text(
        "Windows/System32/config/SOFTWARE",
        b"regf and nothing that follows",
    );
    text("Program Files/Quay/quay.exe", b"MZ");
    let found = programs(
        &windows.target(),
        &Belongs::built_in(),
        &CancelToken::default(),
    );
    assert_eq!(found.unread.len(), 1);
    named(&found, "Quay", ProgramSource::Folder);

    let macos = Bench::bare(Layout::Macos);
    macos.tree.folder("System/Library/CoreServices").unwrap();
    macos
        .tree
        .text(
            "Applications/Tide.app/Contents/Info.plist",
            "<plist><dict>",
            DAY,
        )
        .unwrap();
    macos
        .tree
        .file("Applications/Bare.app/Contents/MacOS/bare", 4096, DAY)
        .unwrap();
    let found = programs(
        &macos.target(),
        &Belongs::built_in(),
        &CancelToken::default(),
    );
    assert_eq!(found.unread.len(), 1);
    named(&found, "Bare", ProgramSource::Bundle);
    named(&found, "Tide", ProgramSource::Bundle);
}
