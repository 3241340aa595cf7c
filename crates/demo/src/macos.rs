//! The dock of the boat-yard's tablet: a macOS system.

use std::path::Path;

use crate::DemoError;
use crate::contents::Chance;
use crate::people::CACHE_TAG;
use crate::profiles::{ChromiumPlaces, chromium, gecko};
use crate::recent::editor_histories;
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

/// The accounts and their numbers.
const ACCOUNTS: [(&str, u32); 3] = [("pia", 501), ("joss", 502), ("wren", 503)];

/// Builds it; `next_door` is the folder outside that a link points to.
pub(crate) fn build(
    tree: &TreeBuilder,
    chance: &mut Chance,
    next_door: &Path,
) -> Result<(), DemoError> {
    system(tree, chance)?;
    pia(tree, chance)?;
    joss(tree, chance)?;
    wren(tree, chance)?;
    for (name, user) in ACCOUNTS {
        tree.give(format!("Users/{name}"), user)?;
        let boot = format!("private/var/folders/q1/8k2q1_{name}");
        for part in ["T", "C"] {
            tree.folder(format!("{boot}/{part}"))?;
            tree.give(format!("{boot}/{part}"), user)?;
        }
    }
    tree.link("private/tmp/next-door", next_door, 200 * DAY)?;
    for (name, to) in [
        ("tmp", "private/tmp"),
        ("var", "private/var"),
        ("etc", "private/etc"),
    ] {
        tree.link(name, Path::new(to), 900 * DAY)?;
    }
    Ok(())
}

fn system(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let version = dictionary(&[("ProductName", "macOS"), ("ProductVersion", "15.6.1")]);
    tree.text(
        "System/Library/CoreServices/SystemVersion.plist",
        version,
        200 * DAY,
    )?;
    let names = "<dict><key>System</key><dict><key>System</key><dict><key>ComputerName</key>\
         <string>yard dock</string></dict></dict></dict>";
    let settings = "Library/Preferences/SystemConfiguration/preferences.plist";
    tree.text(settings, list(names), 400 * DAY)?;
    let languages = "<dict><key>AppleLanguages</key><array><string>en-GB</string>\
         <string>de-DE</string></array></dict>";
    tree.text(
        "Library/Preferences/.GlobalPreferences.plist",
        list(languages),
        400 * DAY,
    )?;
    // Only systems with the later processor keep what runs programs of the one before.
    tree.folder("private/var/db/oah")?;
    for program in ["Tidewatch", "Knotbook"] {
        let app = format!("Applications/{program}.app/Contents");
        let name = program.to_lowercase();
        let executable = format!("{app}/MacOS/{name}");
        tree.of_kind(executable, "universal-program", 20 * MIB, 300 * DAY)?;
        for language in ["en", "de", "fi", "sv", "Base"] {
            let path = format!("{app}/Resources/{language}.lproj/Words.strings");
            tree.file(path, chance.between(40 * KIB, 400 * KIB), 730 * DAY)?;
        }
    }
    for number in 0..120 {
        let path = format!("private/var/tmp/yard-{number:03}.tmp");
        tree.file(path, chance.between(KIB, 300 * KIB), chance.days(0, 700))?;
    }
    for number in 0..9 {
        let path = format!("private/var/log/system.log.{number}.gz");
        tree.file(
            path,
            chance.between(100 * KIB, 2 * MIB),
            chance.days(5, 200),
        )?;
    }
    for number in 0..12 {
        let path = format!("private/var/db/diagnostics/Persist/{number:016x}.tracev3");
        tree.file(path, 5 * MIB, chance.days(3, 120))?;
    }
    launcher(
        tree,
        "Library/LaunchDaemons/example.ferrylog.helper.plist",
        "/opt/ferrylog/helper",
        1200,
    )?;
    launcher(
        tree,
        "Library/LaunchDaemons/example.tidewatch.plist",
        TIDEWATCH,
        300,
    )
}

/// The alias record of the mail program, in Base64: version 2, with its path and the volume that its system starts from.
const GULLMAIL_ALIAS: &str = "AAAAAAC+AAIAAANNYWMAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA\
    AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA\
    AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAABIAGUFwcGxpY2F0aW9ucy9HdWxs\
    bWFpbC5hcHAAABMAAS8A//8AAA==";

const TIDEWATCH: &str = "/Applications/Tidewatch.app/Contents/MacOS/tidewatch";

fn pia(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "Users/pia";
    editor_histories(tree, home)?;
    for number in 0..60 {
        let path = format!("{home}/Pictures/boats/dinghy-{number:03}.jpg");
        tree.file(
            path,
            chance.between(80 * KIB, 300 * KIB),
            chance.days(10, 1500),
        )?;
    }
    for number in 0..30 {
        let path = format!(
            "{home}/Pictures/iPod Photo Cache/F{:02}/T{number:02}.ithmb",
            number % 5
        );
        tree.file(path, 700 * KIB, 730 * DAY)?;
    }
    tree.file(
        format!("{home}/Documents/tax-2025.pdf"),
        700 * KIB,
        200 * DAY,
    )?;
    tree.file(
        format!("{home}/Library/Keychains/login.keychain-db"),
        400 * KIB,
        DAY,
    )?;
    let settings = dictionary(&[("Theme", "quay")]);
    tree.text(
        format!("{home}/Library/Preferences/example.knotbook.plist"),
        settings,
        DAY,
    )?;
    launcher(
        tree,
        "Users/pia/Library/LaunchAgents/example.tidewatch.plist",
        TIDEWATCH,
        300,
    )?;
    daemons(tree)?;
    tree.text(
        format!("{home}/Library/Preferences/com.apple.loginitems.plist"),
        format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict><key>SessionItems</key><dict>\
             <key>CustomListItems</key><array><dict><key>Alias</key><data>{GULLMAIL_ALIAS}</data>\
             <key>Name</key><string>Gullmail</string></dict></array></dict></dict>\n</plist>\n"
        ),
        500 * DAY,
    )?;
    let user_data = format!("{home}/Library/Application Support/Heron");
    let heron = ChromiumPlaces {
        user_data,
        cache: format!("{home}/Library/Caches/Heron/Default"),
        cookies: "Cookies",
    };
    chromium(tree, chance, &heron, 240)?;
    tree.file(format!("{home}/.Trash/regatta.mov"), 70 * MIB, 180 * DAY)?;
    tree.file(
        format!("{home}/.Trash/old-leaflet.pages"),
        3 * MIB,
        95 * DAY,
    )?;
    let record = [
        put_back("regatta.mov", "Users/pia/Desktop/"),
        put_back("old-leaflet.pages", "Users/pia/Documents/"),
    ];
    let record = [&b"\0\0\0\x01Bud1\0\0"[..], &record.concat()].concat();
    tree.text(format!("{home}/.Trash/.DS_Store"), record, 95 * DAY)
        .map(drop)
}

fn joss(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "Users/joss";
    for (name, kind, size, age) in [
        ("Lanternfish-3.2.DMG", "apple-disk-image", 80 * MIB, 150),
        ("quay-tools.pkg", "xar", 40 * MIB, 420),
        ("wage-slip-may.pdf", "", 300 * KIB, 190),
    ] {
        tree.of_kind(format!("{home}/Downloads/{name}"), kind, size, age * DAY)?;
    }
    for number in 0..80 {
        let path = format!("{home}/Library/Caches/example.lanternfish/covers/{number:03}.jpg");
        tree.file(
            path,
            chance.between(30 * KIB, 200 * KIB),
            chance.days(3, 600),
        )?;
    }
    for number in 0..20 {
        let backup = "Library/Application Support/MobileSync/Backup/00008030-4411";
        let path = format!("{home}/{backup}/{number:02x}/{number:02x}77aa");
        tree.file(path, 2 * MIB, 730 * DAY)?;
    }
    let profile = format!("{home}/Library/Application Support/Bramble/Profiles/x8k2.yard");
    let cache = format!("{home}/Library/Caches/Bramble/Profiles/x8k2.yard");
    gecko(tree, chance, (&profile, &cache), 120)?;
    tree.text(
        format!("{home}/boats/planner/target/CACHEDIR.TAG"),
        CACHE_TAG,
        130 * DAY,
    )?;
    tree.link(
        format!("{home}/boats/old-season"),
        Path::new("../gone/season-2019"),
        800 * DAY,
    )
}

fn wren(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "Users/wren";
    tree.file(
        format!("{home}/Documents/handover-notes.odt"),
        80 * KIB,
        1150 * DAY,
    )?;
    for number in 0..30 {
        let path = format!("{home}/Library/Caches/example.ferrylog/{number:02}.bin");
        tree.file(path, 400 * KIB, chance.days(1100, 1500))?;
    }
    // Cut off in the middle when the battery went flat.
    let broken = b"<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>Win";
    let path = format!("{home}/Library/Preferences/example.ferrylog.plist");
    tree.text(path, broken, 1150 * DAY)?;
    let path = "Users/wren/Library/LaunchAgents/example.ferrylog.sync.plist";
    launcher(tree, path, "/opt/ferrylog/sync", 1200)
}

/// What the dock starts at boot; one of it was turned off.
fn daemons(tree: &TreeBuilder) -> Result<(), DemoError> {
    for name in ["fetch", "tables"] {
        let path = format!("Library/LaunchDaemons/example.tidewatch.{name}.plist");
        launcher(tree, &path, TIDEWATCH, 300)?;
    }
    let off = "<dict><key>example.tidewatch.tables</key><true/></dict>";
    let path = "private/var/db/com.apple.xpc.launchd/disabled.plist";
    tree.text(path, list(off), 40 * DAY).map(drop)
}

fn launcher(tree: &TreeBuilder, path: &str, program: &str, age: i64) -> Result<(), DemoError> {
    let name = path.rsplit('/').next().unwrap_or_default();
    let label = name.trim_end_matches(".plist");
    let text = format!(
        "<dict><key>Label</key><string>{label}</string><key>ProgramArguments</key>\
         <array><string>{program}</string></array></dict>"
    );
    tree.text(path, list(&text), age * DAY).map(drop)
}

fn list(inner: &str) -> String {
    format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">{inner}</plist>\n")
}

/// A property list of texts, in the binary form.
fn dictionary(texts: &[(&str, &str)]) -> Vec<u8> {
    let mut dictionary = plist::Dictionary::new();
    for (key, value) in texts {
        dictionary.insert((*key).to_owned(), (*value).into());
    }
    let mut bytes = Vec::new();
    let written = plist::Value::Dictionary(dictionary).to_writer_binary(&mut bytes);
    // Nothing but memory is written to.
    drop(written);
    bytes
}

/// A note of where a thing lay, as a folder's own record holds it.
fn put_back(name: &str, place: &str) -> Vec<u8> {
    let text = |text: &str| {
        let units: Vec<u8> = text.encode_utf16().flat_map(u16::to_be_bytes).collect();
        let length = u32::try_from(units.len() / 2).unwrap_or(0);
        [&length.to_be_bytes()[..], &units].concat()
    };
    [text(name), b"ptbLustr".to_vec(), text(place)].concat()
}
