//! What the demo computers note of the programs on them: package databases, launchers, registry hives, bundles.

use regf::{DataType, KeyTreeNode, KeyTreeValue};

use crate::DemoError;
use crate::hive::hive;
use crate::references;
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

/// A program of the demo: package, name in menus, version, and the days since it was installed.
const PROGRAMS: [(&str, &str, &str, i64); 6] = [
    ("knotbook", "Knotbook", "4.2.1", 300),
    ("tidewatch", "Tidewatch", "2.3", 120),
    ("lanternfish", "Lanternfish", "3.2", 150),
    ("gullmail", "Gullmail", "1.9", 500),
    ("heron", "Heron", "131.0", 40),
    ("bramble", "Bramble", "128.4", 60),
];

/// Packages that came with others, or with the system: name, KiB, whether as a dependency.
const PARTS: [(&str, u64, bool); 5] = [
    ("libquay2", 1_840, true),
    ("libtide-common", 9_400, true),
    ("quay-fonts", 12_200, true),
    ("quay-base", 640, false),
    ("quay-shell", 2_300, false),
];

/// Packages that were removed, while their settings stay: name, version, and these.
const REMOVED: [(&str, &str, &str); 2] = [
    ("ferrylog", "1.9", "etc/ferrylog.conf"),
    ("kedgebook", "0.8", "etc/kedgebook/kedgebook.conf"),
];

/// The till: packages as dpkg notes them, each program with its launcher; of some only the settings stay.
pub(crate) fn linux(tree: &TreeBuilder) -> Result<(), DemoError> {
    let (mut status, mut marks) = (Vec::new(), Vec::new());
    for (package, name, version, days) in PROGRAMS {
        status.push(format!(
            "Package: {package}\nStatus: install ok installed\nPriority: optional\nSection: misc\n\
             Installed-Size: {}\nArchitecture: amd64\nVersion: {version}\nDescription: {name}\n\n",
            9 * 1024 + 4
        ));
        let files = format!(
            "/.\n/usr\n/usr/bin\n/usr/bin/{package}\n/usr/lib/{package}\n/usr/lib/{package}/{package}\n\
             /usr/share/applications\n/usr/share/applications/{package}.desktop\n"
        );
        tree.text(
            format!("var/lib/dpkg/info/{package}.list"),
            files,
            days * DAY,
        )?;
        let entry = format!(
            "[Desktop Entry]\nType=Application\nName={name}\nExec={package} %U\nIcon={package}\n"
        );
        let path = format!("usr/share/applications/{package}.desktop");
        tree.text(path, entry, days * DAY)?;
    }
    for (package, kib, is_dependency) in PARTS {
        let priority = if is_dependency {
            "optional"
        } else {
            "required"
        };
        status.push(format!(
            "Package: {package}\nStatus: install ok installed\nPriority: {priority}\nSection: libs\n\
             Installed-Size: {kib}\nArchitecture: amd64\nVersion: 12.1\n\n"
        ));
        if is_dependency {
            marks.push(format!(
                "Package: {package}\nArchitecture: amd64\nAuto-Installed: 1\n\n"
            ));
        }
        tree.text(
            format!("var/lib/dpkg/info/{package}.list"),
            "/.\n",
            400 * DAY,
        )?;
    }
    for (package, version, settings) in REMOVED {
        status.push(format!(
            "Package: {package}\nStatus: deinstall ok config-files\nPriority: optional\nSection: misc\n\
             Architecture: amd64\nVersion: {version}\nConffiles:\n /{settings} 0123456789abcdef0123456789abcdef\n\n"
        ));
        tree.text(settings, "quay = south\n", 1200 * DAY)?;
    }
    for (path, bytes) in [
        ("home/pia/.config/kedgebook/kedgebook.conf", 2 * KIB),
        ("home/pia/.local/share/kedgebook/charts/bay.bin", 18 * MIB),
        ("home/pia/.local/share/kedgebook/charts/sound.bin", 11 * MIB),
        ("home/joss/.config/kedgebook/kedgebook.conf", 2 * KIB),
    ] {
        tree.file(path, bytes, 900 * DAY)?;
    }
    tree.text("var/lib/dpkg/status", status.concat(), DAY)?;
    tree.text("var/lib/apt/extended_states", marks.concat(), DAY)?;
    Ok(())
}

/// Text as the registry keeps it.
pub(crate) fn text(value: &str) -> Vec<u8> {
    let letters = value.encode_utf16().chain([0]);
    letters.flat_map(u16::to_le_bytes).collect()
}

pub(crate) fn put(
    tree: &mut KeyTreeNode,
    key: &str,
    name: &str,
    data_type: DataType,
    data: Vec<u8>,
) {
    let name = name.to_owned();
    let value = KeyTreeValue {
        name,
        data_type,
        data,
    };
    tree.get_or_create_path(key).values.push(value);
}

fn root() -> KeyTreeNode {
    KeyTreeNode::new("CMI-CreateHive{00000000-0000-0000-0000-000000000000}")
}

/// The office notebook: records for uninstalling, what pia started last, and the programs' folders.
pub(crate) fn windows(tree: &TreeBuilder) -> Result<(), DemoError> {
    let mut software = root();
    let uninstall = "Microsoft\\Windows\\CurrentVersion\\Uninstall";
    for (package, name, version, _) in PROGRAMS {
        let is_small = package == "tidewatch";
        let key = if is_small {
            format!("WOW6432Node\\{uninstall}\\{name}_is1")
        } else {
            format!("{uninstall}\\{name}")
        };
        let folder = if is_small {
            "Program Files (x86)"
        } else {
            "Program Files"
        };
        let mut say =
            |name: &str, value: &str| put(&mut software, &key, name, DataType::String, text(value));
        say("DisplayName", name);
        say("DisplayVersion", version);
        say("Publisher", "Slipway Works Ltd");
        say("InstallDate", "20260114");
        say("InstallLocation", &format!("C:\\{folder}\\{name}\\"));
        let kib = 9_216_u32.to_le_bytes().to_vec();
        put(&mut software, &key, "EstimatedSize", DataType::Dword, kib);
        if !["knotbook", "tidewatch"].contains(&package) {
            let path = format!("{folder}/{name}/{package}.exe");
            tree.file(path, 9 * MIB, 300 * DAY)?;
        }
    }
    starts_of_machine(&mut software);
    references::of_machine(&mut software);
    tree.text(
        "Windows/System32/config/SOFTWARE",
        hive(software, tree.now() - 400 * DAY)?,
        DAY,
    )?;
    tree.text(
        "Windows/System32/config/SYSTEM",
        hive(services(), tree.now() - 400 * DAY)?,
        DAY,
    )?;
    let mut own = root();
    starts_of_pia(&mut own);
    references::of_pia(&mut own);
    started_by_pia(tree, &mut own);
    tree.text(
        "Users/pia/NTUSER.DAT",
        hive(own, tree.now() - 200 * DAY)?,
        3_600,
    )?;
    tree.text(
        "Users/pia/AppData/Local/Microsoft/Windows/UsrClass.dat",
        hive(references::openers_of_pia(), tree.now() - 200 * DAY)?,
        3_600,
    )?;
    for (name, days) in [("joss", 40), ("wren", 1150)] {
        let age = days * DAY + 3_600;
        tree.text(
            format!("Users/{name}/NTUSER.DAT"),
            hive(root(), tree.now() - age)?,
            age,
        )?;
    }
    Ok(())
}

/// What pia started last, as the shell notes it.
fn started_by_pia(tree: &TreeBuilder, own: &mut KeyTreeNode) {
    let count = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\UserAssist\\\
                 {CEBFF5CD-ACE2-4F4F-9178-9926F41749EA}\\Count";
    for (program, days) in [
        ("Knotbook\\knotbook.exe", 1),
        ("Tidewatch\\tidewatch.exe", 430),
    ] {
        let name = thirteen_further(&format!(
            "{{6D809377-6AF0-444B-8957-A3773F02200E}}\\{program}"
        ));
        let ticks = (tree.now() - days * DAY + 11_644_473_600) * 10_000_000;
        let mut data = vec![0; 72];
        data[60..68].copy_from_slice(&ticks.to_le_bytes());
        put(own, count, &name, DataType::Binary, data);
    }
}

/// Each letter thirteen further, as the shell notes names of programs.
fn thirteen_further(name: &str) -> String {
    let turn = |letter: char| match letter {
        'a'..='m' | 'A'..='M' => char::from(letter as u8 + 13),
        'n'..='z' | 'N'..='Z' => char::from(letter as u8 - 13),
        letter => letter,
    };
    name.chars().map(turn).collect()
}

/// The yard's dock: what bundles say of themselves.
pub(crate) fn macos(tree: &TreeBuilder) -> Result<(), DemoError> {
    for (package, name, version, days) in PROGRAMS {
        if package == "gullmail" {
            continue;
        }
        let texts = [
            ("CFBundleIdentifier", format!("example.{package}")),
            ("CFBundleName", name.to_owned()),
            ("CFBundleExecutable", package.to_owned()),
            ("CFBundleShortVersionString", version.to_owned()),
        ];
        let mut list = plist::Dictionary::new();
        for (key, value) in texts {
            list.insert(key.to_owned(), value.into());
        }
        let mut bytes = Vec::new();
        plist::to_writer_binary(&mut bytes, &list)
            .map_err(|error| DemoError::Record(error.to_string()))?;
        let app = format!("Applications/{name}.app/Contents");
        tree.text(format!("{app}/Info.plist"), bytes, days * DAY)?;
        if !tree.has(format!("{app}/MacOS/{package}")) {
            tree.file(format!("{app}/MacOS/{package}"), 700 * KIB, days * DAY)?;
        }
    }
    Ok(())
}

/// Where the registry has what starts at sign-in, and the marks that turn it off.
const RUN: &str = "Microsoft\\Windows\\CurrentVersion\\Run";
const APPROVED: &str = "Microsoft\\Windows\\CurrentVersion\\Explorer\\StartupApproved";

/// What the office notebook starts for everybody; one entry was turned off, and one's program is gone.
fn starts_of_machine(software: &mut KeyTreeNode) {
    let mut starts = |name: &str, command: &str| {
        put(software, RUN, name, DataType::String, text(command));
    };
    starts(
        "Lanternfish",
        "\"C:\\Program Files\\Lanternfish\\lanternfish.exe\" --tray",
    );
    starts("Ferrylog Sync", "C:\\Program Files\\Ferrylog\\sync.exe");
    let mut mark = vec![3, 0, 0, 0];
    mark.extend([0; 8]);
    let list = format!("{APPROVED}\\Run");
    put(software, &list, "Lanternfish", DataType::Binary, mark);
}

/// What it starts for pia.
fn starts_of_pia(own: &mut KeyTreeNode) {
    let run = format!("Software\\{RUN}");
    let command = text("\"C:\\Program Files\\Gullmail\\gullmail.exe\" /background");
    put(own, &run, "Gullmail", DataType::String, command);
    // Of what lies in the start-up folder the shell keeps marks; of the run key it has none yet.
    let marks = format!("Software\\{APPROVED}\\StartupFolder");
    let mut mark = vec![2, 0, 0, 0];
    mark.extend([0; 8]);
    put(own, &marks, "Knotbook.lnk", DataType::Binary, mark);
}

/// Its services: one of a program's, one of the system's own.
fn services() -> KeyTreeNode {
    let mut system = root();
    put(
        &mut system,
        "Select",
        "Current",
        DataType::Dword,
        1_u32.to_le_bytes().to_vec(),
    );
    for (name, image) in [
        (
            "LanternfishShare",
            "\"C:\\Program Files\\Lanternfish\\lanternfish.exe\" --share",
        ),
        ("Schedule", "C:\\Windows\\System32\\svchost.exe -k netsvcs"),
    ] {
        let key = format!("ControlSet001\\Services\\{name}");
        put(
            &mut system,
            &key,
            "Start",
            DataType::Dword,
            2_u32.to_le_bytes().to_vec(),
        );
        put(
            &mut system,
            &key,
            "ImagePath",
            DataType::String,
            text(image),
        );
    }
    system
}
