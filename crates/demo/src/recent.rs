//! What programs note of documents opened last: links of a shell, and editors' histories.

use crate::DemoError;
use crate::tree::{DAY, TreeBuilder};

/// The kind of a disk that can't be taken out, as links of Windows' shell write it.
pub const FIXED_DISK: u32 = 3;

/// A link of Windows' shell to a path on a drive of a kind (the open specification MS-SHLLINK).
pub fn shell_link(path: &str, drive_kind: u32) -> Vec<u8> {
    const HEADER: u32 = 0x24;
    let mut link = vec![0; 0x4c];
    link[..20].copy_from_slice(&[
        0x4c, 0, 0, 0, 0x01, 0x14, 0x02, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46,
    ]);
    // A description of the place follows, and letters are Unicode.
    link[20] = 0b1000_0010;
    let plain: Vec<u8> = path
        .chars()
        .map(|it| u8::try_from(it).unwrap_or(b'?'))
        .collect();
    let wide: Vec<u8> = path.encode_utf16().flat_map(u16::to_le_bytes).collect();
    let length = |bytes: &[u8]| u32::try_from(bytes.len()).unwrap_or(0);
    let volume = HEADER + 0x11;
    let end = volume + length(&plain) + 2;
    let wide_end = end + length(&wide) + 2;
    let mut words = vec![
        wide_end + 2,
        HEADER,
        1,
        HEADER,
        volume,
        0,
        end - 1,
        end,
        wide_end,
    ];
    words.extend([0x11, drive_kind, 0x5a79_4c70, 0x10]);
    link.extend(words.into_iter().flat_map(u32::to_le_bytes));
    link.push(0);
    link.extend(plain);
    link.extend([0, 0]);
    link.extend(wide);
    link.extend([0; 4]);
    link
}

/// Documents that somebody opened on a windows computer, some of which are gone.
pub(crate) fn recent_links(tree: &TreeBuilder, home: &str) -> Result<(), DemoError> {
    let folder = format!("{home}/AppData/Roaming/Microsoft/Windows/Recent");
    for (name, path, days) in [
        (
            "tax-2025.pdf",
            "C:\\Users\\Pia\\Documents\\tax-2025.pdf",
            90,
        ),
        (
            "season-2023.ods",
            "C:\\Users\\Pia\\Documents\\season-2023.ods",
            700,
        ),
        (
            "old-prices.ods",
            "C:\\Users\\Pia\\Desktop\\old-prices.ods",
            420,
        ),
        ("from-the-stick.odt", "E:\\from-the-stick.odt", 300),
    ] {
        let link = shell_link(path, FIXED_DISK);
        tree.text(format!("{folder}/{name}.lnk"), &link, days * DAY)?;
    }
    Ok(())
}

/// Links of the start menu and of a desktop, some to a program that somebody deleted by hand.
pub(crate) fn shortcuts(tree: &TreeBuilder, home: &str) -> Result<(), DemoError> {
    let menu = "ProgramData/Microsoft/Windows/Start Menu/Programs";
    let gone = "C:\\Program Files\\Buoylist\\buoylist.exe";
    let there = "C:\\Program Files\\Gullmail\\gullmail.exe";
    let own_menu = format!("{home}/AppData/Roaming/Microsoft/Windows/Start Menu/Programs");
    for (link, to) in [
        (format!("{menu}/Buoylist/Buoylist.lnk"), gone),
        (format!("{menu}/Gullmail.lnk"), there),
        (format!("{own_menu}/Buoylist charts.lnk"), gone),
        (format!("{home}/Desktop/Buoylist.lnk"), gone),
        (format!("{home}/Desktop/Gullmail.lnk"), there),
        (format!("{home}/Desktop/Stick.lnk"), "E:\\prices.ods"),
    ] {
        tree.text(link, shell_link(to, FIXED_DISK), 400 * DAY)?;
    }
    Ok(())
}

/// The same on a linux computer whose desktop keeps a file for each: one that is gone.
pub(crate) fn recent_entries(tree: &TreeBuilder, home: &str) -> Result<(), DemoError> {
    let folder = format!("{home}/.local/share/RecentDocuments");
    let name = "crew-rota.ods";
    let text =
        format!("[Desktop Entry]\nName={name}\nType=Link\nURL[$e]=file:$HOME/Documents/{name}\n");
    tree.text(format!("{folder}/{name}.desktop"), &text, 420 * DAY)
        .map(drop)
}

/// What editors note in a home.
pub(crate) fn editor_histories(tree: &TreeBuilder, home: &str) -> Result<(), DemoError> {
    let viewer = ".less-history-file:\n.search\n\"tide tables\n";
    tree.text(format!("{home}/.lesshst"), viewer, 70 * DAY)?;
    let editor = format!("{home}/.local/share/nano/search_history");
    tree.text(editor, "life jackets\ndeposit\n", 200 * DAY)
        .map(drop)
}
