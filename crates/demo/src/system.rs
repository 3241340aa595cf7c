//! The system's side of the till computer: temp, logs, crash reports, package downloads.

use std::path::Path;

use crate::DemoError;
use crate::contents::Chance;
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

const PASSWD: &str = "root:x:0:0:root:/root:/bin/sh\n\
    daemon:x:1:1:daemon:/usr/sbin:/usr/sbin/nologin\n\
    pia:x:1001:1001:Pia:/home/pia:/bin/sh\n\
    joss:x:1002:1002:Joss:/home/joss:/bin/sh\n\
    wren:x:1003:1003:Wren:/home/wren:/bin/sh\n\
    nobody:x:65534:65534:nobody:/nonexistent:/usr/sbin/nologin\n";

/// The folder that nobody may read.
pub(crate) const LOCKED: &str = "var/tmp/locked";

/// Builds it; `next_door` is the folder outside that a link points to.
pub(crate) fn build(
    tree: &TreeBuilder,
    chance: &mut Chance,
    next_door: &Path,
) -> Result<(), DemoError> {
    tree.text("etc/passwd", PASSWD, 900 * DAY)?;
    tree.text("etc/hostname", "till\n", 900 * DAY)?;
    tree.text(
        "etc/fstab",
        "LABEL=till  /  ext4  errors=remount-ro  0  1\nLABEL=charts  /srv/charts  ext4  noauto  0  2\n",
        900 * DAY,
    )?;
    tree.text(
        "etc/machine-id",
        "0a7e40c1d2b34e5f8899aabbccddeeff\n",
        900 * DAY,
    )?;
    tree.text("etc/locale.conf", "LANG=en_GB.UTF-8\n", 900 * DAY)?;
    tree.text(
        "etc/locale.gen",
        "# fi_FI.UTF-8 UTF-8\nde_DE.UTF-8 UTF-8\n",
        900 * DAY,
    )?;
    for language in ["de", "en_GB"] {
        let path = format!("usr/share/locale/{language}/LC_MESSAGES/tidewatch.mo");
        tree.file(path, 60 * KIB, 600 * DAY)?;
    }
    packages(tree)?;
    tree.text(
        "etc/os-release",
        "ID=quay\nNAME=\"Quay\"\nVERSION_ID=\"12\"\n",
        900 * DAY,
    )?;
    for program in [
        "knotbook",
        "tidewatch",
        "lanternfish",
        "gullmail",
        "heron",
        "bramble",
    ] {
        tree.file(format!("usr/lib/{program}/{program}"), 9 * MIB, 300 * DAY)?;
        tree.text(format!("usr/bin/{program}"), "#!/bin/sh\n", 300 * DAY)?;
    }
    tree.file("var/lib/knotbook/bookings.db", 6 * MIB, DAY / 2)?;
    temp(tree, chance)?;
    awkward(tree, next_door)?;
    logs(tree, chance)?;
    for (number, program) in ["knotbook", "lanternfish", "gullmail"].iter().enumerate() {
        let age = [20, 2, 400].get(number).copied().unwrap_or(1) * DAY;
        tree.file(
            format!("var/crash/_usr_bin_{program}.1001.crash"),
            4 * MIB,
            age,
        )?;
    }
    tree.file(
        "var/lib/systemd/coredump/core.tidewatch.1001.4411.zst",
        38 * MIB,
        75 * DAY,
    )?;
    for number in 0..48 {
        let (size, age) = (chance.between(200 * KIB, 3 * MIB), chance.days(1, 500));
        let path = format!("var/cache/apt/archives/lib-{number:02}_1.{number}_amd64.deb");
        tree.file(path, size, age)?;
    }
    tree.text("var/cache/apt/archives/lock", "", 30 * DAY)?;
    tree.folder("var/cache/apt/archives/partial")?;
    Ok(())
}

/// Packages that were fetched, kept and replaced, and what their managers note of them.
fn packages(tree: &TreeBuilder) -> Result<(), DemoError> {
    // The newest two revisions of a package stay.
    for (revision, age) in [(12, 240), (13, 30)] {
        let path = format!("var/lib/snapd/snaps/tidewatch_{revision}.snap");
        tree.file(path, 12 * MIB, age * DAY)?;
    }
    tree.text(
        "var/lib/snapd/state.json",
        r#"{"data":{"snaps":{"tidewatch":{"current":"13","sequence":[{"revision":"12"},{"revision":"13"}]}}}}"#,
        30 * DAY,
    )?;
    for (version, age) in [("2.2", 40), ("2.3", 9)] {
        let path = format!("var/cache/pacman/pkg/tidewatch-{version}-1-x86_64.pkg.tar.zst");
        tree.file(path, 2 * MIB, age * DAY)?;
    }
    // A job that was printed (IPP, RFC 8011: completed is 9).
    tree.text(
        "var/spool/cups/c00052",
        "\x02\0\x01#\0\x09job-state\0\x04\0\0\0\x09\x03",
        DAY,
    )?;
    Ok(())
}

fn temp(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    tree.file("tmp/dump-4411.bin", 212 * MIB, 120 * DAY)?;
    tree.file("var/tmp/render/frames.raw", 64 * MIB, 9 * DAY)?;
    for number in 0..900 {
        let age = match number % 9 {
            0 => chance.hours(0, 20),
            1 => chance.days(1, 7),
            2 | 3 => chance.days(7, 30),
            4..=6 => chance.days(30, 180),
            7 => chance.days(180, 700),
            _ => chance.days(700, 2100),
        };
        let size = chance.between(KIB, 120 * KIB);
        let folder = ["tmp", "tmp/unpacked", "var/tmp", "var/tmp/print-queue"];
        let folder = folder.get(number % 4).copied().unwrap_or("tmp");
        tree.file(format!("{folder}/till-{number:04}.tmp"), size, age)?;
    }
    // A whole folder that is old enough to go, and to be empty afterwards.
    for number in 0..40 {
        tree.file(
            format!("tmp/import-2024/sheet-{number:02}/page.tmp"),
            40 * KIB,
            300 * DAY,
        )?;
    }
    Ok(())
}

/// The cases that a sweep must get right: links, names, folders that say no.
fn awkward(tree: &TreeBuilder, next_door: &Path) -> Result<(), DemoError> {
    tree.link("tmp/next-door", next_door, 200 * DAY)?;
    tree.link("var/tmp/nowhere", Path::new("gone/for/good"), 90 * DAY)?;
    tree.sparse("tmp/disk-image.raw", 900 * MIB, MIB, 60 * DAY)?;
    tree.file("tmp/pair-one.dat", 5 * MIB, 50 * DAY)?;
    tree.hard_link("tmp/pair-one.dat", "var/tmp/pair-two.dat")?;
    tree.file("home/pia/Documents/season-plan.ods", 2 * MIB, 100 * DAY)?;
    tree.hard_link("home/pia/Documents/season-plan.ods", "tmp/season-plan.bak")?;
    tree.file(b"tmp/not-utf8-\xff\xfe.tmp", 8 * KIB, 33 * DAY)?;
    tree.file("tmp/line\nbreak.tmp", 8 * KIB, 33 * DAY)?;
    tree.file("tmp/escape-\u{1b}[31mred\u{1b}[0m.tmp", 8 * KIB, 33 * DAY)?;
    tree.file("tmp/=SUM(A1:A9).tmp", 8 * KIB, 33 * DAY)?;
    tree.pipe("tmp/tidewatch.pipe", 80 * DAY)?;
    tree.text("tmp/.X0-lock", "4411\n", 80 * DAY)?;
    tree.text(
        "tmp/key4.db",
        "guarded by its name, wherever it lies\n",
        80 * DAY,
    )?;
    let empty = tree.folder("var/tmp/left-empty")?;
    tree.age(&empty, 70 * DAY)?;
    tree.file(format!("{LOCKED}/inside.tmp"), 64 * KIB, 70 * DAY)?;
    tree.mode(LOCKED, 0)
}

fn logs(tree: &TreeBuilder, chance: &mut Chance) -> Result<(), DemoError> {
    for name in ["syslog", "auth.log", "kern.log", "tidewatch.log"] {
        tree.file(
            format!("var/log/{name}"),
            chance.between(200 * KIB, 2 * MIB),
            60,
        )?;
        tree.file(format!("var/log/{name}.1"), 3 * MIB, 8 * DAY)?;
        for week in 2_u64..9 {
            let age = i64::try_from(week * 14).unwrap_or(14) * DAY;
            let size = chance.between(600 * KIB, 2 * MIB);
            tree.file(format!("var/log/{name}.{week}.gz"), size, age)?;
        }
    }
    for number in 0..6_i64 {
        let path = format!("var/log/journal/7f3a/system@000{number}.journal");
        tree.file(path, 8 * MIB, (5 + number * 30) * DAY)?;
    }
    tree.file("var/log/journal/7f3a/system.journal", 8 * MIB, 60)
        .map(drop)
}
