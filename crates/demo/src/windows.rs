//! The office notebook: a Windows system, its names as mixed in case as they come.

use std::path::Path;

use crate::DemoError;
use crate::contents::Chance;
use crate::profiles::{ChromiumPlaces, chromium, gecko};
use crate::recent::{FIXED_DISK, recent_links, shell_link, shortcuts};
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

/// The first part of all security identifiers of this computer.
const DOMAIN: &str = "S-1-5-21-4411-2202-7";

/// Builds it; `next_door` is the folder outside that a link points to.
pub(crate) fn build(
    tree: &TreeBuilder,
    chance: &mut Chance,
    next_door: &Path,
) -> Result<(), DemoError> {
    system(tree, chance)?;
    accounts(tree, chance)?;
    recycled(tree)?;
    tree.link("Windows/Temp/next-door", next_door, 200 * DAY)?;
    tree.file(b"Windows/Temp/not-utf8-\xff\xfe.tmp", 8 * KIB, 33 * DAY)?;
    tree.file("Windows/Temp/escape-\u{1b}[31mred.TMP", 8 * KIB, 33 * DAY)?;
    tree.file("Windows/Temp/key4.db", 8 * KIB, 80 * DAY)?;
    Ok(())
}

fn system(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    for (path, size) in [
        ("Windows/System32/kernel32.dll", 2 * MIB),
        ("Windows/explorer.exe", 4 * MIB),
        ("Program Files/Knotbook/knotbook.exe", 30 * MIB),
        ("Program Files (x86)/Tidewatch/tidewatch.exe", 18 * MIB),
        ("ProgramData/Knotbook/bookings.db", 6 * MIB),
        ("Users/Public/Pictures/quay.jpg", 2 * MIB),
        ("pagefile.sys", 128 * MIB),
        ("bootmgr", 400 * KIB),
    ] {
        tree.file(path, size, 300 * DAY)?;
    }
    tree.folder("Windows/servicing/Version/10.0.22621.1")?;
    for number in 0..160 {
        let path = format!("Windows/Temp/tmp{number:04X}.TMP");
        tree.file(path, chance.between(KIB, 300 * KIB), chance.days(0, 700))?;
    }
    for number in 0..40 {
        let path = format!(
            "Windows/Prefetch/TOOL{number:02}.EXE-{:08X}.pf",
            number * 7_919
        );
        tree.file(path, chance.between(8 * KIB, 80 * KIB), chance.days(0, 400))?;
    }
    for number in 0..24 {
        let path = format!("Windows/SoftwareDistribution/Download/{number:02x}ab/part.cab");
        tree.file(path, chance.between(MIB, 9 * MIB), chance.days(1, 300))?;
    }
    for number in 0..20 {
        let path = format!("Windows.old/Windows/WinSxS/part-{number:02}.dll");
        tree.file(path, 5 * MIB, 400 * DAY)?;
    }
    for number in 0..14 {
        let path = format!("Windows/Logs/CBS/CbsPersist_{number:02}.cab");
        tree.file(
            path,
            chance.between(200 * KIB, 3 * MIB),
            chance.days(10, 400),
        )?;
    }
    for (copy, mib, days) in [("7a3c1d8e", 64, 210), ("7a3c1d8f", 40, 20)] {
        let path = format!(
            "System Volume Information/{{{copy}-0000-11ee-a5cd-5254003a1f00}}{{3808876b-c176-4e48-b7ae-04046e6cc752}}"
        );
        tree.file(path, mib * MIB, days * DAY)?;
    }
    tree.file("Windows/MEMORY.DMP", 180 * MIB, 120 * DAY)?;
    tree.file("$WINDOWS.~BT/Sources/install.esd", 90 * MIB, 365 * DAY)
        .map(drop)
}

fn accounts(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    for (number, (name, age)) in [("pia", 0), ("joss", 40), ("wren", 1150)]
        .into_iter()
        .enumerate()
    {
        let home = format!("Users/{name}");
        let keys = format!(
            "{home}/AppData/Roaming/Microsoft/Protect/{DOMAIN}-{}",
            1001 + number
        );
        tree.file(format!("{keys}/Preferred"), 4 * KIB, age * DAY + 3_600)?;
    }
    // Copied from an older disk, so its names lost their case.
    tree.file(
        "Users/wren/APPDATA/LOCAL/TEMP/SETUP.TMP",
        14 * MIB,
        1200 * DAY,
    )?;
    for number in 0..120 {
        let path = format!("Users/joss/AppData/Local/Temp/~df{number:03}.tmp");
        tree.file(path, chance.between(KIB, 500 * KIB), chance.days(40, 600))?;
    }
    for (name, kind, size, age) in [
        (
            "Lanternfish-Setup-3.2.EXE",
            "windows-program",
            64 * MIB,
            150,
        ),
        ("quay-12.4.iso", "disc-image", 110 * MIB, 420),
        ("printer.msi", "compound-file", 9 * MIB, 45),
        ("wage-slip-may.pdf", "", 300 * KIB, 190),
    ] {
        let path = format!("Users/joss/Downloads/{name}");
        tree.of_kind(path, kind, size, age * DAY)?;
    }
    for (name, size) in [("tax-2025.pdf", 700), ("insurance.pdf", 900)] {
        tree.file(format!("Users/pia/Documents/{name}"), size * KIB, 200 * DAY)?;
    }
    tree.file(
        "Users/pia/AppData/Local/Microsoft/Windows/Explorer/thumbcache_256.db",
        12 * MIB,
        DAY,
    )?;
    let start = "AppData/Roaming/Microsoft/Windows/Start Menu/Programs/Startup";
    for (name, program) in [
        ("Knotbook", "C:\\Program Files\\Knotbook\\knotbook.exe"),
        (
            "Tidewatch",
            "C:\\Program Files (x86)\\Tidewatch\\tidewatch.exe",
        ),
    ] {
        let link = shell_link(program, FIXED_DISK);
        tree.text(format!("Users/pia/{start}/{name}.lnk"), &link, 300 * DAY)?;
    }
    shortcuts(tree, "Users/pia")?;
    let user_data = "Users/pia/AppData/Local/Heron/User Data".to_owned();
    let heron = ChromiumPlaces {
        cache: format!("{user_data}/Default"),
        user_data,
        cookies: "Network/Cookies",
    };
    recent_links(tree, "Users/pia")?;
    chromium(tree, chance, &heron, 300)?;
    let profile = "Users/joss/AppData/Roaming/Bramble/Profiles/x8k2.office";
    let cache = "Users/joss/AppData/Local/Bramble/Profiles/x8k2.office";
    gecko(tree, chance, (profile, cache), 150)
}

/// What was thrown away: pairs of both versions, a folder, and what doesn't fit together.
fn recycled(tree: &TreeBuilder) -> Result<(), DemoError> {
    let pia = format!("$Recycle.Bin/{DOMAIN}-1001");
    let joss = format!("$Recycle.Bin/{DOMAIN}-1002");
    for (folder, key, version, original, size, age) in [
        (
            &pia,
            "8K2Q1.mp4",
            2,
            "C:\\Users\\pia\\Desktop\\regatta.mp4",
            60 * MIB,
            180,
        ),
        (
            &pia,
            "0BLUR.jpg",
            2,
            "C:\\Users\\pia\\Pictures\\blurred.jpg",
            2 * MIB,
            2,
        ),
        (
            &pia,
            "LEAF1.odg",
            1,
            "C:\\Users\\pia\\Documents\\leaflet.odg",
            3 * MIB,
            95,
        ),
        (
            &joss,
            "MIX00.zip",
            2,
            "C:\\Users\\joss\\Music\\summer-mix.zip",
            24 * MIB,
            64,
        ),
    ] {
        tree.file(format!("{folder}/$R{key}"), size, (age + 40) * DAY)?;
        let bytes = index_file(version, size, tree.now() - age * DAY, original);
        tree.text(format!("{folder}/$I{key}"), bytes, age * DAY)?;
    }
    for number in 0..12 {
        let path = format!("{pia}/$RFLY22/page-{number:02}.odg");
        tree.file(path, 300 * KIB, 900 * DAY)?;
    }
    let original = "C:\\Users\\pia\\Desktop\\flyers-2022";
    let bytes = index_file(2, 0, tree.now() - 640 * DAY, original);
    tree.text(format!("{pia}/$IFLY22"), bytes, 640 * DAY)?;
    // Nobody knows when these were thrown away: an index that broke off, and one that is missing.
    tree.file(format!("{pia}/$RBROKE.txt"), 40 * KIB, 700 * DAY)?;
    tree.text(
        format!("{pia}/$IBROKE.txt"),
        b"\x02\0\0\0\0\0\0\0\x11",
        700 * DAY,
    )?;
    tree.file(format!("{pia}/$RALONE.txt"), 40 * KIB, 700 * DAY)?;
    // An account that is no more; its index says whose it was.
    let gone = format!("$Recycle.Bin/{DOMAIN}-1009");
    tree.file(format!("{gone}/$RCV000.odt"), 90 * KIB, 1200 * DAY)?;
    let original = "C:\\Users\\wren\\Desktop\\cv-draft.odt";
    let bytes = index_file(2, 90 * KIB, tree.now() - 1140 * DAY, original);
    tree.text(format!("{gone}/$ICV000.odt"), bytes, 1140 * DAY)
        .map(drop)
}

/// An index file of a recycle folder: version, size, FILETIME and the original path in UTF-16.
fn index_file(version: u64, size: u64, time: i64, original: &str) -> Vec<u8> {
    let filetime = u64::try_from(time + 11_644_473_600).unwrap_or(0) * 10_000_000;
    let mut bytes = Vec::new();
    for number in [version, size, filetime] {
        bytes.extend(number.to_le_bytes());
    }
    let mut path: Vec<u8> = original
        .encode_utf16()
        .chain([0])
        .flat_map(u16::to_le_bytes)
        .collect();
    if version == 1 {
        path.resize(520, 0);
    } else {
        let units = u32::try_from(path.len() / 2).unwrap_or(0);
        bytes.extend(units.to_le_bytes());
    }
    bytes.extend(path);
    bytes
}
