//! The homes: pia, who runs the till; joss, who downloads everything; wren, long gone; and the
//! administrator's own.

use std::path::Path;

use crate::DemoError;
use crate::contents::{Chance, thumbnail};
use crate::extensions::{chromium_extensions, gecko_extensions};
use crate::profiles::{ChromiumPlaces, chromium, damaged_profile, gecko, newer_profile};
use crate::recent::{editor_histories, recent_entries};
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

/// A tag by the cache-directory tagging specification.
pub(crate) const CACHE_TAG: &str =
    "Signature: 8a477f597d28d172789f06886806bc55\n# A cache directory tag.\n";

pub(crate) fn build(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    pia(tree, chance)?;
    joss(tree, chance)?;
    wren(tree, chance)?;
    tree.folder("root")?;
    recognised(tree)
}

/// What the recognisers look for: previews, links, tags and launchers.
fn recognised(tree: &TreeBuilder) -> Result<(), DemoError> {
    let normal = "home/pia/.cache/thumbnails/normal";
    let (name, bytes) = thumbnail("home/pia/Pictures/old-season/regatta.jpg", tree.now());
    tree.text(format!("{normal}/{name}"), bytes, DAY)?;
    for (name, age) in [("5f0c.png", 130), ("5f0d.png", 60)] {
        let (_, bytes) = thumbnail("home/pia/Pictures/boats/dinghy-000.jpg", tree.now());
        tree.text(format!("{normal}/{name}"), bytes, age * DAY)?;
    }
    // A preview that broke off while it was written.
    tree.text(format!("{normal}/77aa.png"), b"\x89PNG\r\n", 200 * DAY)?;
    let season = Path::new("../gone/season-2019");
    tree.link("home/joss/boats/old-season", season, 800 * DAY)?;
    tree.link("home/joss/boats/prices", Path::new("prices.txt"), 90 * DAY)?;
    tree.text("home/joss/boats/prices.txt", "dinghy 20\n", 60 * DAY)?;
    tree.text(
        "home/joss/boats/planner/target/CACHEDIR.TAG",
        CACHE_TAG,
        130 * DAY,
    )?;
    tree.text(
        "home/pia/Documents/target/CACHEDIR.TAG",
        CACHE_TAG,
        130 * DAY,
    )?;
    let entry = |name: &str, program: &str| {
        format!("[Desktop Entry]\nType=Application\nName={name}\nExec={program} %U\n")
    };
    for path in [
        ".local/share/applications/ferrylog.desktop",
        ".config/autostart/ferrylog-sync.desktop",
    ] {
        let path = format!("home/wren/{path}");
        tree.text(path, entry("Ferrylog", "ferrylog"), 1200 * DAY)?;
    }
    for name in ["knotbook", "tidewatch"] {
        let path = format!("home/pia/.config/autostart/{name}.desktop");
        tree.text(path, entry(name, name), 300 * DAY)?;
    }
    tree.text(
        "home/pia/.config/mimeapps.list",
        "[Default Applications]\ntext/plain=knotbook.desktop\napplication/x-ferrylog=ferrylog.desktop;\n\n\
         [Added Associations]\ntext/plain=knotbook.desktop;ferrylog.desktop;\n",
        300 * DAY,
    )?;
    starts(tree)?;
    Ok(())
}

/// What the till starts by itself beside: for everybody at sign-in, at boot, and by a line of pia's crontab.
fn starts(tree: &TreeBuilder) -> Result<(), DemoError> {
    tree.text(
        "etc/xdg/autostart/gullmail-notify.desktop",
        "[Desktop Entry]\nType=Application\nName=Gullmail notifier\nComment=Tells of new mail\nExec=gullmail --notify\n",
        400 * DAY,
    )?;
    tree.text(
        "etc/systemd/system/lanternfish-share.service",
        "[Unit]\nDescription=Shares music with the yard\n\n[Service]\nExecStart=/usr/bin/lanternfish --share\n\n[Install]\nWantedBy=multi-user.target\n",
        400 * DAY,
    )?;
    tree.link(
        "etc/systemd/system/multi-user.target.wants/lanternfish-share.service",
        Path::new("/etc/systemd/system/lanternfish-share.service"),
        400 * DAY,
    )?;
    tree.text(
        "var/spool/cron/crontabs/pia",
        "# the tide tables\n@reboot /usr/bin/tidewatch --fetch\n",
        400 * DAY,
    )?;
    tree.mode("var/spool/cron/crontabs/pia", 0o600)
}

fn pia(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "home/pia";
    for (name, size) in [
        ("tax-2025.pdf", 700),
        ("insurance.pdf", 900),
        ("prices.ods", 120),
    ] {
        tree.file(format!("{home}/Documents/{name}"), size * KIB, 200 * DAY)?;
    }
    for number in 0..160 {
        let age = chance.days(10, 1500);
        let picture = format!("{home}/Pictures/boats/dinghy-{number:03}.jpg");
        tree.file(&picture, chance.between(80 * KIB, 300 * KIB), age)?;
        draw(tree, home, &picture, age, chance)?;
    }
    // Previews of pictures that are gone.
    for number in 0..700 {
        let picture = format!("{home}/Pictures/old-season/boat-{number:03}.jpg");
        let age = chance.days(2, 1400);
        draw(tree, home, &picture, age, chance)?;
    }
    tree.of_kind(
        format!("{home}/.cache/thumbnails/fail/viewer/00aa.png"),
        "png",
        KIB,
        300 * DAY,
    )?;
    chromium(tree, chance, &ChromiumPlaces::linux(home), 1100)?;
    tree.text(
        format!("{home}/.config/bramble/profiles.ini"),
        "[Profile0]\nName=till\nIsRelative=1\nPath=profiles/x8k2.till\n",
        400 * DAY,
    )?;
    let profile = format!("{home}/.config/bramble/profiles/x8k2.till");
    let cache = format!("{home}/.cache/bramble/profiles/x8k2.till");
    gecko(tree, chance, (&profile, &cache), 350)?;
    gecko_extensions(tree, &profile)?;
    chromium_extensions(tree, &format!("{home}/.config/heron/Default"))?;
    newer_profile(tree, &format!("{home}/.config/heron"))?;
    recently_used(tree, home, 5)?;
    recent_entries(tree, home)?;
    editor_histories(tree, home)?;
    tree.text(
        format!("{home}/.ssh/id_ed25519"),
        "a key that must stay\n",
        600 * DAY,
    )?;
    for number in 0..60 {
        let path = format!("{home}/.cache/knotbook/pages/{number:03}.page");
        tree.file(
            path,
            chance.between(20 * KIB, 400 * KIB),
            chance.days(1, 300),
        )?;
    }
    tree.file(
        format!("{home}/.cache/gullmail/mail/inbox.mbox"),
        2 * MIB,
        200 * DAY,
    )?;
    pias_trash(tree, home)
}

fn pias_trash(tree: &TreeBuilder, home: &str) -> Result<(), DemoError> {
    for (name, size, age) in [
        ("regatta.mp4", 150 * MIB, 200),
        ("old-leaflet.odg", 3 * MIB, 95),
        ("wrong-invoice.pdf", 400 * KIB, 12),
        ("blurred.jpg", 2 * MIB, 2),
    ] {
        trash(tree, home, name, size, age)?;
    }
    for number in 0..30 {
        let inside = format!("{home}/.local/share/Trash/files/flyers-2022/page-{number:02}.odg");
        tree.file(inside, 300 * KIB, 900 * DAY)?;
    }
    let path = format!("{home}/.local/share/Trash/info/flyers-2022.trashinfo");
    info(tree, &path, "/home/pia/Desktop/flyers-2022", 640)?;
    tree.file(".Trash-1001/files/from-the-stick.zip", 24 * MIB, 500 * DAY)?;
    info(
        tree,
        ".Trash-1001/info/from-the-stick.zip.trashinfo",
        "from-the-stick.zip",
        320,
    )?;
    // Nobody knows when this one was thrown away.
    tree.file(
        format!("{home}/.local/share/Trash/files/undated.txt"),
        KIB,
        800 * DAY,
    )
    .map(drop)
}

fn joss(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "home/joss";
    chromium(tree, chance, &ChromiumPlaces::linux(home), 420)?;
    damaged_profile(
        tree,
        chance,
        &format!("{home}/.config/bramble/profiles/k2j9.summer"),
    )?;
    for (name, kind, size, age) in [
        ("lanternfish-3.2.AppImage", "elf-program", 86 * MIB, 150),
        ("quay-12.4-live.iso", "disc-image", 240 * MIB, 420),
        ("tidewatch_2.1_amd64.deb", "debian-package", 12 * MIB, 70),
        ("ferrylog-1.9.run", "script", 30 * MIB, 700),
        ("printer-driver.rpm", "rpm-package", 9 * MIB, 10),
        ("wage-slip-may.pdf", "", 300 * KIB, 190),
        ("canoe-course.pdf", "", MIB, 230),
    ] {
        tree.of_kind(format!("{home}/Downloads/{name}"), kind, size, age * DAY)?;
    }
    tree.text(
        format!("{home}/.cache/lanternfish/CACHEDIR.TAG"),
        CACHE_TAG,
        300 * DAY,
    )?;
    for number in 0..140 {
        let path = format!("{home}/.cache/lanternfish/covers/{number:03}.jpg");
        tree.file(
            path,
            chance.between(30 * KIB, 200 * KIB),
            chance.days(3, 600),
        )?;
    }
    for number in 0..20 {
        let path = format!("{home}/.config/heron/Crash Reports/completed/{number:02}.dmp");
        tree.file(
            path,
            chance.between(100 * KIB, 900 * KIB),
            chance.days(1, 200),
        )?;
    }
    for number in 0..25 {
        let path = format!("{home}/.tmp/unpacked/part-{number:02}");
        tree.file(path, 300 * KIB, 90 * DAY)?;
    }
    recently_used(tree, home, 60)?;
    trash(tree, home, "summer-mix.zip", 42 * MIB, 64)
}

fn wren(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    let home = "home/wren";
    tree.file(
        format!("{home}/Documents/handover-notes.odt"),
        80 * KIB,
        1150 * DAY,
    )?;
    tree.file(format!("{home}/.xsession-errors.old"), 6 * MIB, 1120 * DAY)?;
    for number in 0..90 {
        let path = format!("{home}/.cache/tidewatch/maps/{number:03}.tile");
        tree.file(
            path,
            chance.between(50 * KIB, 300 * KIB),
            chance.days(1100, 2200),
        )?;
    }
    tree.file(
        format!("{home}/.config/ferrylog/ferrylog.conf"),
        4 * KIB,
        1200 * DAY,
    )?;
    tree.file(
        format!("{home}/.local/share/ferrylog/log.db"),
        7 * MIB,
        1200 * DAY,
    )?;
    recently_used(tree, home, 1130)?;
    trash(tree, home, "cv-draft.odt", 90 * KIB, 1140)
}

/// Draws the thumbnail of a picture.
fn draw(
    tree: &TreeBuilder,
    home: &str,
    picture: &str,
    age: i64,
    chance: &mut Chance,
) -> Result<(), DemoError> {
    let (name, bytes) = thumbnail(picture, tree.now() - age);
    let path = tree.text(format!("{home}/.cache/thumbnails/large/{name}"), bytes, age)?;
    // Real previews are some ten kilobytes; the room is held without changing the picture.
    let file = std::fs::File::options().write(true).open(&path);
    let file = file.map_err(DemoError::at("open", &path))?;
    let more = rustix::fs::FallocateFlags::KEEP_SIZE;
    let held = rustix::fs::fallocate(&file, more, 0, chance.between(8 * KIB, 60 * KIB));
    drop(file);
    // A file system without it only makes the demo a little smaller.
    if let Err(error) = held
        && error != rustix::io::Errno::OPNOTSUPP
    {
        return Err(DemoError::at("fill", &path)(error.into()));
    }
    tree.age(&path, age)
}

/// The list of what was opened last (XBEL, as the open desktop's recent-files specification says).
fn recently_used(tree: &TreeBuilder, home: &str, age: i64) -> Result<(), DemoError> {
    let mut list = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<xbel version=\"1.0\"\n      \
         xmlns:bookmark=\"http://www.freedesktop.org/standards/desktop-bookmarks\"\n      \
         xmlns:mime=\"http://www.freedesktop.org/standards/shared-mime-info\"\n>\n",
    );
    for number in 0..30 {
        let opened = age + number * 8;
        let path = format!("{home}/Documents/note-{number}.odt");
        // Every third of them is still there.
        if number % 3 == 0 {
            tree.file(&path, 20 * KIB, (opened + 20) * DAY)?;
        }
        let date = |days: i64| {
            let moment = jiff::Timestamp::from_second(tree.now() - days * DAY);
            moment.unwrap_or_default().to_string()
        };
        let (added, visited, long_ago) = (date(opened + 20), date(opened), date(opened + 400));
        let entry = format!(
            "  <bookmark href=\"file:///{path}\" added=\"{added}\" modified=\"{visited}\" visited=\"{visited}\">\n    \
             <info>\n      <metadata owner=\"http://freedesktop.org\">\n        \
             <mime:mime-type type=\"application/vnd.oasis.opendocument.text\"/>\n        \
             <bookmark:applications>\n          \
             <bookmark:application name=\"Heron Writer\" exec=\"&apos;heron %u&apos;\" modified=\"{visited}\" count=\"2\"/>\n          \
             <bookmark:application name=\"Lanternfish\" exec=\"&apos;lanternfish %f&apos;\" modified=\"{long_ago}\" count=\"1\"/>\n        \
             </bookmark:applications>\n      </metadata>\n    </info>\n  </bookmark>\n",
        );
        list.push_str(&entry);
    }
    list += "</xbel>\n";
    tree.text(
        format!("{home}/.local/share/recently-used.xbel"),
        list,
        age * DAY,
    )
    .map(drop)
}

/// Throws a file into the trash of a home (open trash specification), `age` days ago.
pub(crate) fn trash(
    tree: &TreeBuilder,
    home: &str,
    name: &str,
    size: u64,
    age: i64,
) -> Result<(), DemoError> {
    let folder = format!("{home}/.local/share/Trash");
    tree.file(format!("{folder}/files/{name}"), size, (age + 30) * DAY)?;
    let original = format!("/{home}/Desktop/{name}");
    info(
        tree,
        &format!("{folder}/info/{name}.trashinfo"),
        &original,
        age,
    )
}

fn info(tree: &TreeBuilder, path: &str, original: &str, age: i64) -> Result<(), DemoError> {
    let date = civil(tree.now() - age * DAY);
    let text = format!("[Trash Info]\nPath={original}\nDeletionDate={date}\n");
    tree.text(path, text, age * DAY).map(drop)
}

/// A moment in local time, as the specification writes it.
fn civil(seconds: i64) -> String {
    let moment = jiff::Timestamp::from_second(seconds).unwrap_or_default();
    moment
        .to_zoned(jiff::tz::TimeZone::system())
        .strftime("%Y-%m-%dT%H:%M:%S")
        .to_string()
}
