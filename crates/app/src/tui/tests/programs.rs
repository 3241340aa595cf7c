//! The programs lens: finding one, looking where its own lies, taking its caches and logs.

use jolly_core::host::{PackageManager, Tool};
use jolly_core::run::list_commands;
use jolly_core::survey::{ProgramSource, RemovedPackage, Uninstall, Unwanted};

use super::*;
use crate::tui::model::UninstallStage;

#[test]
fn a_programs_caches_are_found_taken_left_and_undone() {
    let mut desk = TestUi::new().scanned();
    let start = desk.takes();
    desk.key(KeyCode::Char('v'));
    desk.key(KeyCode::Char('v'));
    let shown = desk.shown();
    assert!(
        shown.contains("Programs: what each really occupies   8 programs"),
        "{shown}"
    );
    assert!(
        shown.contains("5 more came with the system or with others"),
        "{shown}"
    );
    assert!(
        shown
            .lines()
            .any(|line| line.starts_with('▌') && line.contains("Heron"))
    );

    desk.key(KeyCode::Char('/'));
    desk.text("gullmail");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    assert!(shown.contains("home/pia/.cache/gullmail"), "{shown}");
    desk.key(KeyCode::Char('/'));
    desk.text("lanternfish 3.2");
    desk.key(KeyCode::Esc);

    // What the lens takes is what the scan found below the folders that it shows, and no more.
    desk.key(KeyCode::Char('/'));
    desk.text("knotbook");
    desk.key(KeyCode::Esc);
    let is_taken = |desk: &TestUi| row(&desk.shown(), &["Knotbook", "4.2.1"]).contains("goes");
    assert!(is_taken(&desk));
    desk.key(KeyCode::Char(' '));
    assert!(!is_taken(&desk) && desk.takes() < start, "{}", desk.shown());
    let weigh = desk.model.weigh.as_ref().unwrap();
    let arena = &weigh.scan.arena;
    let own = |item: &jolly_core::source::ItemId| {
        arena
            .path(*item)
            .as_bytes()
            .starts_with(b"home/pia/.cache/knotbook")
    };
    let items: Vec<_> = arena.items().filter(own).collect();
    let mut all = items.iter();
    assert!(!items.is_empty() && all.all(|item| !weigh.decisions.takes_item(&weigh.scan, *item)));
    desk.key(KeyCode::Char(' '));
    assert_eq!((is_taken(&desk), desk.takes()), (true, start));
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.takes(), start);

    desk.key(KeyCode::Char('A'));
    assert!(desk.shown().contains("libquay2"));
    desk.key(KeyCode::Char('o'));
    assert!(desk.shown().contains("Ordered by data."));
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
}

#[test]
fn what_programs_that_are_gone_left_is_shown_with_its_evidence_and_taken_name_by_name() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('v'));
    desk.key(KeyCode::Char('v'));
    desk.key(KeyCode::Char('L'));
    let shown = desk.shown();
    assert!(
        shown.contains("Left behind: what programs that are gone left"),
        "{shown}"
    );
    let start = desk.takes();
    let state = |desk: &TestUi, name: &str, places: &str| {
        let shown = desk.shown();
        let row = row(&shown, &[name, places]);
        let words = row.split_whitespace().filter(|word| *word != "▌");
        words.take(2).collect::<Vec<_>>().join(" ")
    };
    // What is sure stands first, and one key takes it.
    assert_eq!(state(&desk, "kedgebook", "4 places"), "sure kedgebook");
    desk.key(KeyCode::Char(' '));
    assert_eq!(state(&desk, "kedgebook", "4 places"), "goes sure");
    assert!(desk.takes() > start);
    desk.key(KeyCode::Char('u'));
    assert_eq!(
        (state(&desk, "kedgebook", "4 places"), desk.takes()),
        ("sure kedgebook".into(), start)
    );
    // One folder of several, with its evidence.
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Down);
    let shown = desk.shown();
    assert!(
        shown.contains("for      its package was removed, its settings were kept"),
        "{shown}"
    );
    desk.key(KeyCode::Char(' '));
    assert_eq!(state(&desk, "ferrylog", "7 places"), "part likely");
    desk.key(KeyCode::Char('u'));
    // What is unsure asks once more.
    desk.text("/snapd");
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Char(' '));
    assert!(desk.shown().contains("Unsure: "), "{}", desk.shown());
    assert_eq!(desk.takes(), start);
    desk.key(KeyCode::Char(' '));
    assert_eq!(state(&desk, "snapd", "1 place"), "goes unsure");
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
}

#[test]
fn what_belongs_to_a_program_after_all_is_no_longer_left_behind() {
    let mut desk = TestUi::new().scanned();
    desk.text("vvL ");
    let taken = desk.takes();
    desk.text("B");
    assert!(
        desk.shown().contains("kedgebook wasn't left behind"),
        "{}",
        desk.shown()
    );
    desk.text("ferry");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("no program of that name is there"));
    (0..5).for_each(|_| desk.key(KeyCode::Backspace));
    desk.text("knot");
    assert!(desk.shown().contains("knotbook"));
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    assert!(
        shown.contains("kedgebook belongs to knotbook, on this computer"),
        "{shown}"
    );
    assert!(
        !shown.contains("4 places") && desk.takes() < taken,
        "{shown}"
    );
    // The next scan knows it, too.
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('l'));
    desk.text("vvL");
    let shown = desk.shown();
    assert!(
        !shown.contains("kedgebook") && shown.contains("ferrylog"),
        "{shown}"
    );
    desk.text("L/knotbook");
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown().contains("home/pia/.local/share/kedgebook"),
        "{}",
        desk.shown()
    );
}

#[test]
fn a_program_is_removed_in_view_by_its_name_and_never_on_a_disk_on_the_bench() {
    let mut desk = TestUi::new().scanned();
    desk.text("vv/knotbook");
    desk.key(KeyCode::Enter);
    desk.text("R");
    let shown = desk.shown();
    assert!(
        shown.contains("this system doesn't run") && shown.contains("chroot"),
        "{shown}"
    );
    // As a manager would answer on a system that runs.
    let unwanted = Unwanted::Program(ProgramSource::Snap, "knotbook".to_owned());
    let script = "stty size; echo removing; read answer; echo $answer; exit 3";
    let would = Uninstall {
        unwanted: unwanted.clone(),
        word: "Knotbook".to_owned(),
        manager: PackageManager::Snap,
        command: Tool {
            path: "/bin/sh".to_owned(),
            arguments: vec!["-c".to_owned(), script.to_owned()],
            shares: &[],
        },
        removes: vec![RemovedPackage {
            name: "knotbook".to_owned(),
            bytes: 9 << 20,
            is_own_program: true,
        }],
        is_simulated: false,
    };
    if let Some(Overlay::Uninstall(view)) = &mut desk.model.overlay {
        view.stage = UninstallStage::Asking;
        view.unwanted = unwanted;
    }
    desk.tell(Msg::ManagerAnswered(Ok(Box::new(would))));
    let shown = desk.shown();
    assert!(shown.contains("type Knotbook to start it"), "{shown}");
    desk.text("knotbook");
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown()
            .contains("that is not Knotbook; nothing was done")
    );
    (0..8).for_each(|_| desk.key(KeyCode::Backspace));
    desk.typed_ahead = b"go on\n".to_vec();
    desk.text("Knotbook");
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    for words in [
        "30 138",
        "removing",
        "go on",
        "It ended with 3; what it said is in",
    ] {
        assert!(shown.contains(words), "{words}:\n{shown}");
    }
    let session = desk.model.session.clone().unwrap();
    let commands = list_commands(&session.state).unwrap();
    let [Ok(log)] = &commands[..] else {
        panic!("{commands:?}")
    };
    assert_eq!((&*log.what, log.code), ("remove Knotbook", Some(3)));
    assert!(log.output.contains("removing") && log.ended.is_some());
    // What failed has removed nothing that could be known as gone.
    assert_eq!(session.removed_here(), []);
}
