//! What the registry of the office notebook says of files: of a program that somebody deleted by hand, and of some that are
//! there, on another drive, or named by a variable.

use regf::{DataType, KeyTreeNode};

use crate::programs::{put, text};

const CURRENT: &str = "Microsoft\\Windows\\CurrentVersion";

/// Everything that names files in the hive of all programs.
pub(crate) fn of_machine(software: &mut KeyTreeNode) {
    let mut say = |key: &str, name: &str, value: &str| {
        put(software, key, name, DataType::String, text(value));
    };
    let gone = "C:\\Program Files\\Buoylist";
    let record = format!("{CURRENT}\\Uninstall\\Buoylist");
    say(&record, "DisplayName", "Buoylist");
    say(&record, "DisplayIcon", &format!("{gone}\\buoylist.exe,0"));
    say(&record, "InstallLocation", &format!("{gone}\\"));
    say(
        &record,
        "UninstallString",
        &format!("\"{gone}\\remove.exe\" /all"),
    );
    say(
        &format!("{CURRENT}\\App Paths\\buoylist.exe"),
        "",
        &format!("{gone}\\buoylist.exe"),
    );
    for (kind, program) in [
        ("Buoylist.Chart", format!("{gone}\\buoylist.exe")),
        (
            "Gullmail.Letter",
            "C:\\Program Files\\Gullmail\\gullmail.exe".to_owned(),
        ),
        ("Tidewatch.Year", "D:\\Tidewatch\\tidewatch.exe".to_owned()),
        (
            "Knotbook.Page",
            "%ProgramFiles%\\Knotbook\\knotbook.exe".to_owned(),
        ),
    ] {
        let command = format!("Classes\\{kind}\\shell\\open\\command");
        say(&command, "", &format!("\"{program}\" \"%1\""));
    }
    let editing = "Classes\\Applications\\buoylist.exe\\shell\\edit\\command";
    say(
        editing,
        "",
        &format!("\"{gone}\\buoylist.exe\" /edit \"%1\""),
    );
    parts(software, gone);
}

/// Parts of programs that others use, and a file that several share.
fn parts(software: &mut KeyTreeNode, gone: &str) {
    let mut say = |key: &str, name: &str, value: &str| {
        put(software, key, name, DataType::String, text(value));
    };
    for (part, library) in [
        (
            "{6f1d2c30-0001-4b0e-9c1a-5d2e7f8a9b01}",
            format!("{gone}\\preview.dll"),
        ),
        (
            "{6f1d2c30-0002-4b0e-9c1a-5d2e7f8a9b02}",
            "C:\\Program Files\\Gullmail\\gullmail.exe".to_owned(),
        ),
        (
            "{6f1d2c30-0003-4b0e-9c1a-5d2e7f8a9b03}",
            "C:\\Windows\\System32\\printing.dll".to_owned(),
        ),
    ] {
        let key = format!("Classes\\CLSID\\{part}");
        say(&key, "", "Preview of charts");
        say(&format!("{key}\\InprocServer32"), "", &library);
        say(
            &format!("{key}\\InprocServer32"),
            "ThreadingModel",
            "Apartment",
        );
    }
    let library = "Classes\\TypeLib\\{6f1d2c30-0004-4b0e-9c1a-5d2e7f8a9b04}\\1.0\\0\\win64";
    say(library, "", &format!("{gone}\\charts.tlb"));
    let count = 1_u32.to_le_bytes().to_vec();
    let shared = format!("{CURRENT}\\SharedDLLs");
    put(
        software,
        &shared,
        &format!("{gone}\\preview.dll"),
        DataType::Dword,
        count,
    );
}

/// What opens what for pia alone.
pub(crate) fn openers_of_pia() -> KeyTreeNode {
    let mut classes = KeyTreeNode::new("root");
    let command = "Applications\\buoylist.exe\\shell\\open\\command";
    let program = text("C:\\Program Files\\Buoylist\\buoylist.exe \"%1\"");
    put(&mut classes, command, "", DataType::String, program);
    classes
}

/// What pia's own hive names.
pub(crate) fn of_pia(own: &mut KeyTreeNode) {
    let run = format!("Software\\{CURRENT}\\Run");
    let command = text("C:\\Program Files\\Buoylist\\buoylist.exe /tray");
    put(own, &run, "Buoylist", DataType::String, command);
    let command = text("C:\\Users\\pia\\AppData\\Local\\Buoylist\\update.exe");
    put(
        own,
        &format!("{run}Once"),
        "Buoylist Update",
        DataType::String,
        command,
    );
}
