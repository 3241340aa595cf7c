//! The interface as a technician drives it, in a real terminal.

use std::time::Duration;

use crate::support::{Demo, PROGRAM};
use crate::terminal::Term;

pub(crate) fn open(demo: &Demo, size: (u16, u16), env: &[(&str, &str)], more: &[&str]) -> Term {
    let (root, state) = (demo.root(), demo.state());
    // tmux sets TERM itself, so what the program sees is set after it.
    let variables: Vec<String> = env
        .iter()
        .map(|(key, value)| format!("{key}={value}"))
        .collect();
    // What is remembered of all computers stays with the test.
    let home = format!("HOME={}", root.parent().unwrap().display());
    let mut argv = vec!["env", "-u", "XDG_CONFIG_HOME", &home];
    argv.extend(variables.iter().map(String::as_str));
    argv.extend([PROGRAM, "--target", root.to_str().unwrap()]);
    argv.extend(["--state", state.to_str().unwrap()]);
    argv.extend(more);
    Term::start(size, &[], &argv)
}

/// Walks on from arrive, where the computer is looked at while it is scanned, to its piles.
pub(crate) fn to_weigh(term: &Term) -> String {
    term.wait_text("enter weighs it");
    term.keys(&["Enter"]);
    term.wait("the piles", |screen| {
        screen.contains("Temporary folder") && screen.contains("older than")
    })
}

/// Leaves; who has decided something is asked first.
fn leave_twice(term: &Term) {
    term.keys(&["q"]);
    term.wait_text("q once more leaves");
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);
}

/// The figure that stands behind a word in the strip.
fn figure(screen: &str, word: &str) -> String {
    let at = screen
        .find(word)
        .unwrap_or_else(|| panic!("no {word} in:\n{screen}"));
    screen[at + word.len()..]
        .split_whitespace()
        .take(2)
        .collect::<Vec<_>>()
        .join(" ")
}

/// The row of the list that holds all these words.
fn row<'a>(screen: &'a str, words: &[&str]) -> &'a str {
    let holds = |line: &&str| words.iter().all(|word| line.contains(word));
    screen
        .lines()
        .find(holds)
        .unwrap_or_else(|| panic!("no row {words:?} in:\n{screen}"))
}

#[test]
fn from_scan_to_report_with_a_change_of_mind_on_the_way() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    let start = to_weigh(&term);
    let takes = figure(&start, "to sweep ");
    term.keys(&["/"]);
    term.text("linux/trash pia");
    term.keys(&["Enter"]);
    let low = term.wait_text("What somebody threw away");
    assert!(
        row(&low, &["Trash", "pia", "1 month"]).contains('○'),
        "what may be somebody's own is left"
    );

    // Move a limit: the row, its class and the strip follow at once.
    term.keys(&["/"]);
    term.text("old-logs");
    term.keys(&["Enter"]);
    term.keys(&["]"]);
    let moved = term.wait("the moved limit", |screen| {
        let mut rows = screen.lines();
        rows.any(|line| line.contains("Old logs") && line.contains("3 months"))
    });
    assert_ne!(figure(&moved, "to sweep "), takes);
    term.keys(&["u"]);
    let undone = term.wait_text("Undone: Old logs of the system");
    assert_eq!(figure(&undone, "to sweep "), takes);
    term.keys(&["U"]);
    term.wait_text("Done again: Old logs of the system");

    // An exact age; nonsense is told and nothing changes.
    term.keys(&["="]);
    term.text("3 fortnights");
    term.keys(&["Enter"]);
    term.wait_text("no known unit");
    term.keys(&["Escape"]);
    term.keys(&["="]);
    term.text("45 days");
    term.keys(&["Enter"]);
    term.wait("the exact age in its row", |screen| {
        let mut rows = screen.lines();
        rows.any(|line| line.contains("Old logs") && line.contains("45 days"))
    });

    // Take the trash of pia, read what goes, rehearse, sweep.
    term.keys(&["/"]);
    term.text("trash pia");
    term.keys(&["Enter"]);
    term.keys(&["Space"]);
    term.wait("the trash taken", |screen| {
        let mut rows = screen.lines();
        rows.any(|line| line.contains("Trash") && line.contains("pia") && line.contains('●'))
    });
    term.keys(&["Tab"]);
    // A screen may be captured while it is being drawn, so all of it is waited for.
    term.wait("what goes, in sentences", |screen| {
        screen.contains("You are about to remove")
            && screen.contains("To be set aside")
            && screen.contains("Pages load slower the first time.")
    });
    term.keys(&["r"]);
    term.wait_text("nothing was removed");
    let names = demo.names();
    term.text("swap");
    term.wait_text("Type [s····] to start");
    assert_eq!(demo.names(), names, "another word starts nothing");
    term.text("sweep");
    term.wait("the report", |screen| {
        screen.contains("what was taken is gone")
            && screen.contains("went as rehearsed")
            && screen.contains("Nothing of the list stayed.")
    });
    assert!(demo.names() < names - 3000);
    assert!(demo.dir().join("till-next-door/boat-licences.txt").exists());
    term.keys(&["Enter"]);
    term.wait("nothing more to sweep", |screen| {
        screen.contains("older than") && screen.contains("to sweep 0 B")
    });
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);
    let logs = demo.run(&["log", "list", "--json"]).lines();
    let run = logs[0]["run"].as_str().unwrap();
    assert_eq!(demo.run(&["log", "verify", run]).code, 0);
}

#[test]
fn a_sweep_is_stopped_by_a_key_and_tells_how_far_it_came() {
    let demo = Demo::new();
    // Enough that a stop comes before the end on any machine.
    let many = demo.root().join("tmp/many");
    for folder in 0..60 {
        let folder = many.join(folder.to_string());
        std::fs::create_dir_all(&folder).unwrap();
        for file in 0..500 {
            let file = std::fs::File::create(folder.join(file.to_string())).unwrap();
            let then = std::time::UNIX_EPOCH + Duration::from_secs(1_000_000_000);
            file.set_times(
                std::fs::FileTimes::new()
                    .set_modified(then)
                    .set_accessed(then),
            )
            .unwrap();
        }
    }
    let before = demo.names();
    let term = open(&demo, (100, 30), &[], &[]);
    term.wait_text("enter weighs it");
    term.keys(&["Enter"]);
    term.wait_text("Crash reports");
    term.keys(&["Tab"]);
    term.wait_text("You are about to remove");
    term.text("sweep");
    term.keys(&["p"]);
    term.wait_text("Paused");
    // What was under way at that moment ends, and is told.
    std::thread::sleep(Duration::from_secs(1));
    let held = term.screen();
    std::thread::sleep(Duration::from_millis(400));
    let later = term.screen();
    let counts = |screen: &str| row(screen, &["removed", "set-aside", "in-use"]).to_owned();
    assert_eq!(
        counts(&held),
        counts(&later),
        "nothing goes while it is held"
    );
    term.keys(&["Escape"]);
    term.wait("a report of the stop", |screen| {
        screen.contains("were not reached") && screen.contains("Stopped")
    });
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);
    let logs = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(logs[0]["state"], "stopped");
    let removed = logs[0]["outcomes"]["removed"]["items"].as_u64();
    let gone = before - demo.names();
    assert_eq!(
        removed.unwrap_or(0),
        gone as u64,
        "the log tells how far it came"
    );
    assert_eq!(
        demo.run(&["log", "verify", logs[0]["run"].as_str().unwrap()])
            .code,
        0
    );
    let finished = demo.run(&["sweep", "--yes", "--json"]);
    assert_eq!(finished.code, 0, "{}", finished.err);
    assert!(!many.exists(), "the next sweep finishes the rest");
}

#[test]
fn the_screen_follows_the_terminals_size_and_says_when_it_is_too_small() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    let full = to_weigh(&term);
    assert!(full.contains("items") && full.contains("now 1h"));
    term.resize(100, 30);
    // Until the program has drawn anew, the terminal shows the old picture, cut off.
    let middle = term.wait("columns dropped out", |screen| {
        screen.lines().all(|line| line.chars().count() <= 100) && screen.contains("now 1w  1m  6m")
    });
    assert!(!row(&middle, &["now 1w"]).contains("items"), "{middle}");
    term.resize(80, 24);
    let small = term.wait("a usable small screen", |screen| {
        screen.lines().all(|line| line.chars().count() <= 80)
            && screen.contains("older than")
            && screen.contains("Crash reports")
            && screen.contains("? keys")
    });
    assert!(
        row(&small, &["Crash reports"]).contains("3 days"),
        "{small}"
    );
    term.resize(60, 10);
    term.wait_text("needs 80 × 24");
    term.resize(142, 44);
    term.wait_text("now 1h");
    term.keys(&["?"]);
    let all = [
        "Keys at weigh",
        "take or leave",
        "exact age",
        "undo",
        "do again what was undone",
        "scan anew",
    ];
    // All at once: a frame may be caught half drawn.
    term.wait("the help", |screen| {
        all.iter().all(|words| screen.contains(words))
    });
    term.keys(&["x"]);
    term.wait("the help to close", |screen| {
        !screen.contains("Keys at weigh")
    });
    term.keys(&["C-c"]);
    assert_eq!(term.status(), 0);
}

#[test]
fn colours_and_glyphs_suit_the_terminal() {
    let demo = Demo::new();
    let shown = |env: &[(&str, &str)], more: &[&str]| {
        let term = open(&demo, (142, 44), env, more);
        to_weigh(&term);
        (term.screen(), term.colours())
    };
    let (_, truecolor) = shown(&[("COLORTERM", "truecolor")], &[]);
    assert!(truecolor.contains("38;2;230;180;80"), "straw is exact");
    let (_, indexed) = shown(&[("COLORTERM", "")], &[]);
    assert!(indexed.contains("38;5;179") && !indexed.contains("38;2;"));
    let (_, sixteen) = shown(&[("COLORTERM", ""), ("TERM", "screen")], &[]);
    let numbers = sixteen.split("8;5;").skip(1).filter_map(|rest| {
        rest.split(|letter: char| !letter.is_ascii_digit())
            .next()?
            .parse::<u8>()
            .ok()
    });
    assert!(numbers.into_iter().all(|number| number < 16) && !sixteen.contains("38;2;"));
    let (plain_screen, plain) = shown(&[("NO_COLOR", "1"), ("COLORTERM", "truecolor")], &[]);
    assert!(!plain.contains("38;") && !plain.contains("48;"));
    assert!(
        plain_screen.contains('●') && plain_screen.contains('▒'),
        "shape says it all"
    );
    let (ascii, _) = shown(&[], &["--ascii"]);
    let strange = ascii.chars().find(|letter| !letter.is_ascii());
    assert_eq!(strange, None, "{ascii}");
}

#[test]
fn the_demo_opens_itself_and_leaves_nothing_behind_but_its_log() {
    let dir = tempfile::tempdir().unwrap();
    let (temp, state) = (dir.path().join("temp"), dir.path().join("state"));
    std::fs::create_dir(&temp).unwrap();
    let config = dir.path().join("config");
    let env = [
        ("TMPDIR", temp.to_str().unwrap()),
        ("XDG_CONFIG_HOME", config.to_str().unwrap()),
    ];
    let term = Term::start(
        (142, 44),
        &env,
        &[PROGRAM, "demo", "--state", state.to_str().unwrap()],
    );
    term.wait_text("Otter Quay Boat Hire");
    to_weigh(&term);
    assert_eq!(std::fs::read_dir(&temp).unwrap().count(), 1);
    // What is tried out in it doesn't change how the shop starts.
    term.keys(&["s"]);
    term.wait_text("this shop starts");
    term.keys(&["Down", "Space"]);
    term.wait_text("said here");
    term.keys(&["Escape"]);
    term.wait_text("This shop starts so from now on");
    term.keys(&["Tab"]);
    term.wait_text("You are about to remove");
    term.text("sweep");
    let report = term.wait_text("the report says 1 item stayed");
    assert!(
        report.contains("in-use") && report.contains("knotbook-session.tmp"),
        "{report}"
    );
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);
    assert_eq!(std::fs::read_dir(&temp).unwrap().count(), 0);
    assert!(!config.exists());
    assert_eq!(std::fs::read_dir(state.join("logs")).unwrap().count(), 1);
}

#[test]
fn a_window_that_is_closed_leaves_no_demo_behind() {
    let dir = tempfile::tempdir().unwrap();
    let (temp, state) = (dir.path().join("temp"), dir.path().join("state"));
    std::fs::create_dir(&temp).unwrap();
    let env = [("TMPDIR", temp.to_str().unwrap())];
    let argv = [PROGRAM, "demo", "--state", state.to_str().unwrap()];
    let term = Term::start((142, 44), &env, &argv);
    term.wait_text("enter weighs it");
    drop(term);
    let began = std::time::Instant::now();
    while std::fs::read_dir(&temp).unwrap().count() > 0 {
        assert!(
            began.elapsed() < Duration::from_secs(90),
            "it is still there"
        );
        std::thread::sleep(Duration::from_millis(50));
    }
}

#[test]
fn a_computer_is_opened_by_its_path_looked_at_and_one_rule_turned_off_for_good() {
    let demo = Demo::of_layout("windows");
    let (root, state) = (demo.root(), demo.state());
    let home = format!("HOME={}", demo.dir().display());
    let open = || {
        let argv = [
            "env",
            "-u",
            "XDG_CONFIG_HOME",
            &home,
            PROGRAM,
            "--state",
            state.to_str().unwrap(),
        ];
        Term::start((142, 44), &[], &argv)
    };
    let term = open();
    term.wait_text("this computer");
    term.keys(&["a"]);
    let typed = root.to_str().unwrap();
    // The last letters are completed.
    term.text(&typed[..typed.len() - 2]);
    term.wait_text("-next-door");
    term.keys(&["Tab"]);
    term.keys(&["Enter"]);
    let expected = [
        "windows, version 10.0.22621.1",
        "pia        used today",
        "Recycle Bin of pia: 68.7 MiB, oldest 1 year",
        "The previous system is still there",
        "Home of wren unused for 3 years",
        "not here before",
    ];
    term.wait("the facts and signs", |screen| {
        expected.iter().all(|words| screen.contains(words))
    });
    term.keys(&["Enter"]);
    term.wait_text("Memory dump");
    term.keys(&["b", "E"]);
    term.text("C:\\WINDOWS\\temp\\DUMP-4411.tmp");
    term.keys(&["Enter"]);
    // The answer names the path as it is written on the disk.
    term.wait_text("Windows/Temp/dump-4411.tmp: taken by windows/system-temp");
    term.keys(&["Space"]);
    term.wait_text("  off");
    term.keys(&["Escape"]);
    term.wait("the rule's pile gone", |screen| {
        screen.contains("Memory dump") && !screen.contains("Temporary folder")
    });
    // Back along the road, and away.
    term.keys(&["BTab"]);
    term.wait_text("Scanned");
    term.keys(&["BTab"]);
    term.wait_text("Signs");
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);

    // It is remembered, here and on the command line, and can be asked for by name.
    let term = open();
    term.wait("the notebook again", |screen| {
        screen.contains("here today") && screen.contains("office notebook")
    });
    term.keys(&["q"]);
    let takes = |more: &[&str]| {
        let ended = demo.run(&[&["scan", "--json"], more].concat());
        let piles = ended.json()["piles"].as_array().unwrap().clone();
        piles
            .iter()
            .any(|pile| pile["rule"] == "windows/system-temp")
    };
    assert!(!takes(&[]));
    assert!(
        !takes(&["--only", "system-temp"]),
        "once may be a script that doesn't know"
    );
    assert!(takes(&["--only", "system-temp", "--only", "system-temp"]));
}

#[test]
fn a_folder_excluded_from_inside_a_pile_is_spared_for_good() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    let start = to_weigh(&term);
    let before = figure(&start, "to sweep ");
    let takes = |amount: &str| {
        let amount = amount.to_owned();
        move |screen: &str| screen.contains("to sweep ") && figure(screen, "to sweep ") == amount
    };
    let look_at = |term: &Term| {
        term.keys(&["/"]);
        term.text("temporary");
        term.keys(&["Enter", "Enter"]);
        term.wait("the pile from inside", |screen| {
            screen.contains("biggest first") && screen.contains("dump-4411.bin")
        });
        term.keys(&["/"]);
        term.text("unpacked");
        term.wait("the folder found", |screen| {
            screen
                .lines()
                .any(|line| line.starts_with('▌') && line.contains("unpacked/"))
        });
        term.keys(&["Escape"]);
        term.wait("the question gone", |screen| {
            !screen.contains("part of a name")
        });
    };
    look_at(&term);
    term.keys(&["x"]);
    let asked = term.wait("what it would spare", |screen| {
        screen.contains("It spares 225 items") && screen.contains("esc leave it")
    });
    row(&asked, &["this folder", "tmp/unpacked"]);
    term.text("the old bookings");
    term.keys(&["Enter"]);
    let spared = term.wait("the sums follow", |screen| {
        screen.contains("Excluded on this computer: tmp/unpacked")
            && !screen.contains(&format!("to sweep {before}"))
    });
    assert!(row(&spared, &["unpacked/", "excluded"]).contains('○'));
    let after = figure(&spared, "to sweep ");
    term.keys(&["u"]);
    term.wait("all of it again", takes(&before));
    term.keys(&["U"]);
    term.wait("spared again", takes(&after));
    term.keys(&["Escape"]);
    term.wait_text("older than");
    leave_twice(&term);

    // The next visit knows it, and says why; so does the command line.
    let term = open(&demo, (142, 44), &[], &[]);
    to_weigh(&term);
    term.wait("the sums of before", takes(&after));
    look_at(&term);
    term.wait_text("because: the old bookings");
    term.keys(&["X"]);
    let all = term.wait("all exclusions", |screen| screen.contains("kept in"));
    assert!(row(&all, &["tmp/unpacked", "the old bookings", "this computer"]).contains('●'));
    term.keys(&["Escape"]);
    term.wait_text("biggest first");
    term.keys(&["q"]);
    assert_eq!(term.status(), 0);
    let listed = demo.run(&["preview", "--json"]).out;
    assert!(listed.contains("tmp/dump-4411.bin") && !listed.contains("tmp/unpacked/"));
}

#[test]
fn the_mouse_is_heard_and_let_go_of() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    to_weigh(&term);
    // A picture may be taken while one is drawn.
    let screen = term.wait("the pile and the edges of ages", |screen| {
        screen.contains("Old logs") && screen.contains(" 6m ")
    });
    let line = screen
        .lines()
        .position(|line| line.contains("Old logs"))
        .unwrap();
    let heading = screen.lines().find(|line| line.contains(" 6m ")).unwrap();
    let at = heading.find(" 6m ").unwrap();
    let column = heading[..at].chars().count() + 2;
    // A click as terminals report it (SGR coordinates, counted from 1).
    term.text(&format!("\u{1b}[<0;{};{}M", column + 1, line + 1));
    term.wait("the limit where it was clicked", |screen| {
        screen
            .lines()
            .any(|line| line.contains("Old logs") && line.contains("6 months"))
    });
    term.text("\u{1b}[<65;20;20M");
    term.wait("the focus moved on", |screen| {
        screen
            .lines()
            .any(|line| line.starts_with('▌') && !line.contains("Old logs"))
    });
    leave_twice(&term);
    assert_eq!(
        term.mouse_mode(),
        "0",
        "the terminal is given back as it was"
    );
}

#[test]
fn a_second_visit_shows_what_has_grown_and_what_comes_back_fastest() {
    let dir = tempfile::tempdir().unwrap();
    let home = format!("HOME={}", dir.path().display());
    let argv = [
        "env",
        "-u",
        "XDG_CONFIG_HOME",
        &home,
        PROGRAM,
        "demo",
        "--weeks-later",
        "6",
    ];
    let term = Term::start((142, 44), &[], &argv);
    let screen = term.wait("the second visit", |screen| {
        screen.contains("full again") && screen.contains("enter weighs it")
    });
    for words in [
        "visit 5",
        "4 visits since",
        "Trash of joss 132 MiB",
        "intervals over",
    ] {
        assert!(screen.contains(words), "{words}:\n{screen}");
    }
    term.keys(&["Enter"]);
    term.wait_text("older than");
    term.text("oooo");
    let screen = term.wait_text("ordered by what comes back in a week");
    let first = screen
        .lines()
        .skip_while(|line| !line.contains("older than"))
        .nth(1);
    // Six weeks brought 132 MiB.
    let is_first =
        |line: &str| line.contains("Trash") && line.contains("joss") && line.contains("+22.0MiB");
    assert!(first.is_some_and(is_first), "{screen}");
    term.text("q");
    assert_eq!(term.status(), 0);
}

#[test]
fn a_visit_that_was_left_goes_on_as_it_was_decided() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    let before = figure(&to_weigh(&term), "to sweep");
    // Everything of the first pile, whatever its age, and set aside.
    term.text("=");
    term.wait_text("older than");
    term.keys(&["Enter"]);
    let changed = term.wait("another sum", |screen| figure(screen, "to sweep") != before);
    let after = figure(&changed, "to sweep");
    leave_twice(&term);
    let term = open(&demo, (142, 44), &[], &[]);
    let again = to_weigh(&term);
    assert_eq!(figure(&again, "to sweep"), after, "{again}");
    assert!(again.contains("This visit goes on"), "{again}");
    term.text("u");
    let undone = term.wait("how it starts", |screen| {
        figure(screen, "to sweep") != after
    });
    assert_eq!(figure(&undone, "to sweep"), before);
    // It is drawn as it is decided, to a file that is named.
    term.text("e");
    term.wait_text("Temporary folder, system");
    let file = demo.dir().join("ages.pdf");
    term.keys(&["C-u"]);
    term.text(file.to_str().unwrap());
    term.keys(&["Enter"]);
    term.wait_text("Saved as");
    assert!(std::fs::read(&file).unwrap().starts_with(b"%PDF-"));
    term.text("q");
    assert_eq!(term.status(), 0);
}

#[test]
fn what_starts_by_itself_is_switched_at_arrive_and_comes_back() {
    let demo = Demo::new();
    let term = open(&demo, (142, 44), &[], &[]);
    term.wait_text("enter weighs it");
    term.text("S");
    term.wait_text("Gullmail notifier");
    let own = demo
        .root()
        .join("home/joss/.config/autostart/gullmail-notify.desktop");
    term.keys(&["Down", "Space"]);
    term.wait_text("is off; u brings it back");
    let screen = term.wait_text("1 turned off here");
    assert!(
        std::fs::read_to_string(&own)
            .unwrap()
            .contains("Hidden=true")
    );
    assert!(
        row(&screen, &["joss", "Gullmail"]).contains('○'),
        "{screen}"
    );
    // What is a second look told is the same as the command line says.
    let off = demo.run(&["startup", "--json"]).lines();
    let off: Vec<_> = off.iter().filter(|line| line["on"] == false).collect();
    assert_eq!(off.len(), 1, "{off:?}");
    assert_eq!(off[0]["id"], "autostart:joss:gullmail-notify.desktop");
    // What a customer's file held goes to no other bench.
    let sheet = demo.run(&["sheet", "list", "--json"]).lines();
    let sheet = sheet[0]["sheet"].as_str().unwrap();
    let exported = demo.run(&["sheet", "export", sheet]);
    assert!(exported.code == 0 && !exported.out.contains("switched"));
    term.text("u");
    term.wait_text("starts again");
    assert!(!own.exists());
    term.keys(&["Escape"]);
    term.wait_text("enter weighs it");
    term.text("q");
    assert_eq!(term.status(), 0);
}

/// The notebook on the bench: three things turned off and one on again, what points to nothing mended but for one, and of
/// that one thing brought back.
#[test]
fn a_registry_is_mended_and_who_changes_their_mind_gets_things_back() {
    let demo = Demo::of_layout("windows");
    let term = open(&demo, (142, 44), &[], &[]);
    term.wait_text("enter weighs it");
    term.text("S");
    term.wait_text("Buoylist");
    for (down, name) in [(2, "LanternfishShare"), (2, "Gullmail"), (1, "Knotbook")] {
        for _ in 0..down {
            term.keys(&["Down"]);
        }
        term.keys(&["Space"]);
        term.wait_text(&format!("{name} is off; u brings it back"));
    }
    term.wait_text("3 turned off here");
    term.text("u");
    term.wait_text("Knotbook starts again");
    let ids = |on: bool| -> Vec<String> {
        let rows = demo.run(&["startup", "--json"]).lines();
        let rows = rows.iter().filter(|row| row["on"] == on);
        rows.map(|row| row["name"].as_str().unwrap().to_owned())
            .collect()
    };
    assert_eq!(ids(false), ["Lanternfish", "LanternfishShare", "Gullmail"]);
    term.keys(&["Escape"]);
    term.wait_text("enter weighs it");
    to_weigh(&term);
    for title in [
        "missing at sign-in",
        "missing but listed",
        "missing program parts",
    ] {
        term.text("/");
        term.text(title);
        term.keys(&["Enter", "Space"]);
    }
    // Of the parts one is left, by what it is said to name.
    term.keys(&["Enter"]);
    term.wait_text("it names C:\\Program Files\\Buoylist\\preview.dll, which is not there");
    term.keys(&["Space", "Escape"]);
    term.wait_text("Missing program parts");
    term.keys(&["Tab"]);
    term.wait_text("the dustpan gets a copy of 1 whole registry hive");
    term.text("sweep");
    let screen = term.wait_text("canned again: ");
    assert!(
        screen.contains("No longer starts by itself: LanternfishShare, Gullmail."),
        "{screen}"
    );
    let runs = demo.run(&["log", "list", "--json"]).lines();
    let run = runs[0]["run"].as_str().unwrap();
    let went = || {
        let items = demo.run(&["log", "show", run, "--json"]).lines();
        items.iter().filter(|item| item["kind"] == "value").count()
    };
    assert_eq!(went(), 4);
    let key = "Microsoft\\Windows\\CurrentVersion\\Uninstall\\Buoylist";
    let hive = "Windows/System32/config/SOFTWARE";
    let back = demo.run(&["restore", run, hive, "--in", key]);
    assert_eq!(back.code, 0, "{}", back.err);
    assert!(back.out.contains("1 item brought back"), "{}", back.out);
    let told = demo.run(&["rules", "explain", &format!("{hive}/{key}")]);
    assert!(
        told.out.contains("remove.exe, which is not there"),
        "{}",
        told.out
    );
    term.keys(&["Escape"]);
    term.text("q");
}

/// What is there twice: a pair of folders decided, the list of it rehearsed from a plan, swept, and brought back.
#[test]
fn copies_are_decided_by_pair_swept_and_brought_back() {
    let demo = Demo::new();
    let stick = demo.root().join("home/joss/Downloads/stick/DCIM/100REGAT");
    let count = || std::fs::read_dir(&stick).unwrap().count();
    assert_eq!(count(), 40);
    let term = open(&demo, (142, 44), &[], &[]);
    to_weigh(&term);
    // Where the space is, and from there what is there twice.
    term.text("D");
    let shown = term.wait_text("what lies here");
    assert!(row(&shown, &["last used", "rules found this"]).contains("longer ago"));
    term.text("T");
    let shown = term.wait_text("both have");
    let pair = row(
        &shown,
        &["home/pia/Pictures/regatta", "home/joss/Downloads/stick"],
    );
    assert!(pair.contains(" 36 "), "{pair}");
    // Only this pair: the rest of the visit is left alone.
    term.text("/");
    term.text("100regat home/pia");
    term.keys(&["Enter"]);
    term.wait_text("Pictures/regatta had better stay");
    term.keys(&["Space"]);
    term.wait_text("36 files, 1.92 MiB, will go from home/joss/Downloads/stick/DCIM/100REGAT");
    term.keys(&["Escape"]);
    term.wait_text("36 copies");
    term.text("y");
    term.wait_text("is taken now");
    term.keys(&["Tab"]);
    term.wait_text("Copies of kept files");
    term.wait_text("Type sweep");
    term.text("f");
    let plan = demo.state().join("copies.plan");
    term.keys(&["C-u"]);
    term.text(plan.to_str().unwrap());
    term.keys(&["Enter"]);
    term.wait_text("copies.plan");
    // A plan is believed in nothing: what stays is looked for anew.
    let told = demo.run(&[
        "sweep",
        "--plan",
        plan.to_str().unwrap(),
        "--rehearse",
        "--json",
    ]);
    assert_eq!(told.code, 0, "{}", told.err);
    let told = told.lines();
    assert_eq!(told[0]["outcomes"]["set-aside"]["items"], 36, "{told:?}");
    assert_eq!(count(), 40);
    term.text("sweep");
    term.wait_text("canned again: ");
    assert_eq!(count(), 4);
    let runs = demo.run(&["log", "list", "--json"]).lines();
    let run = runs[0]["run"].as_str().unwrap();
    let back = demo.run(&["restore", run]);
    assert_eq!(back.code, 0, "{}", back.err);
    assert_eq!(count(), 40);
    term.text("q");
}
