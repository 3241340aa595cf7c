//! Links to documents opened last: only one whose document is surely gone from this disk is called so.

use std::collections::BTreeSet;

use jolly_core::computer::Layout;
use jolly_demo::{FIXED_DISK, shell_link};

use crate::support::{Bench, DAY, manifest_of, paths_of};

const RECENT: &str = "Users/Pia/AppData/Roaming/Microsoft/Windows/Recent";

/// The names of what a rule takes on a bench.
fn taken(bench: &Bench, rule: &str) -> BTreeSet<String> {
    let manifest = manifest_of(&bench.scan(), true);
    let own = manifest.items.iter().filter(|item| &*item.rule == rule);
    own.map(|item| String::from_utf8_lossy(item.path.name()).into_owned())
        .collect()
}

#[test]
fn a_shell_link_is_gone_only_when_its_document_was_on_this_disk() {
    let bench = Bench::bare(Layout::Windows);
    let text = |path: &str, bytes: &[u8]| bench.tree.text(path, bytes, DAY).unwrap();
    text("Windows/System32/config/SYSTEM", b"");
    text("Users/Pia/NTUSER.DAT", b"");
    text("Users/Pia/Documents/Preise \u{dc}bersicht.ods", b"x");
    bench
        .tree
        .link("Users/Pia/Linked", std::path::Path::new("Documents"), DAY)
        .unwrap();
    for (name, path, kind) in [
        (
            "there",
            "c:\\users\\PIA\\documents\\preise \u{fc}bersicht.ODS",
            FIXED_DISK,
        ),
        ("gone", "C:\\Users\\Pia\\Documents\\old.ods", FIXED_DISK),
        (
            "gone-with-its-folder",
            "C:\\Work\\2019\\old.ods",
            FIXED_DISK,
        ),
        (
            "below-a-file",
            "C:\\Users\\Pia\\NTUSER.DAT\\old.ods",
            FIXED_DISK,
        ),
        ("other-drive", "D:\\old.ods", FIXED_DISK),
        ("stick", "C:\\old.ods", 2),
        (
            "through-a-link",
            "C:\\Users\\Pia\\Linked\\old.ods",
            FIXED_DISK,
        ),
        ("short", "C:\\PROGRA~1\\old.ods", FIXED_DISK),
        ("upwards", "C:\\Users\\..\\old.ods", FIXED_DISK),
        ("server", "\\\\shop\\old.ods", FIXED_DISK),
        ("empty", "", FIXED_DISK),
    ] {
        let link = shell_link(path, kind);
        bench
            .tree
            .text(format!("{RECENT}/{name}.lnk"), &link, 90 * DAY)
            .unwrap();
    }
    for (name, bytes) in [
        ("torn", &shell_link("C:\\old.ods", FIXED_DISK)[..80]),
        ("none", b"x"),
    ] {
        bench
            .tree
            .text(format!("{RECENT}/{name}.lnk"), bytes, 90 * DAY)
            .unwrap();
    }
    let young = shell_link("C:\\old.ods", FIXED_DISK);
    bench
        .tree
        .text(format!("{RECENT}/young.lnk"), &young, DAY)
        .unwrap();
    let gone = ["gone.lnk", "gone-with-its-folder.lnk", "below-a-file.lnk"];
    assert_eq!(
        taken(&bench, "windows/recent-documents-gone"),
        gone.map(str::to_owned).into()
    );
    // The others are recent documents like any; what the first rule finds too young is its own.
    assert_eq!(taken(&bench, "windows/recent-documents").len(), 10);
}

#[test]
fn a_desktop_entry_is_gone_only_when_its_document_was_on_this_disk() {
    let bench = Bench::new();
    let folder = "home/ada/.local/share/RecentDocuments";
    bench.tree.text("home/ada/a b.odt", "x", DAY).unwrap();
    for (name, lines) in [
        ("there", "Type=Link\nURL[$e]=file:$HOME/a b.odt"),
        ("there-too", "Type=Link\nURL=file:///home/ada/a%20b.odt"),
        ("gone", "Type=Link\nURL[$e]=file:$HOME/old.odt"),
        ("gone-too", "Type=Link\nURL=file:///home/ada/old%20one.odt"),
        ("variable", "Type=Link\nURL[$e]=file:$WORK/old.odt"),
        ("server", "Type=Link\nURL=sftp://shop/home/old.odt"),
        ("host", "Type=Link\nURL=file://shop/home/old.odt"),
        ("stick", "Type=Link\nURL=file:///media/ada/stick/old.odt"),
        ("program", "Type=Application\nURL=file:///home/ada/old.odt"),
        ("none", "Type=Link"),
    ] {
        let text = format!("[Desktop Entry]\n{lines}\n");
        bench
            .tree
            .text(format!("{folder}/{name}.desktop"), &text, 90 * DAY)
            .unwrap();
    }
    let gone = ["gone.desktop", "gone-too.desktop"].map(str::to_owned);
    assert_eq!(taken(&bench, "linux/recent-links-gone"), gone.into());
    assert_eq!(taken(&bench, "linux/recently-used-files").len(), 8);
    assert!(paths_of(&manifest_of(&bench.scan(), false)).is_empty());
}
