//! What was set aside comes back, what stayed is tried again, and the list can be kept.

use super::*;
use crate::tui::msg::RunWork;
use std::process::{Child, Command};

/// A program that has a file open until it is let go of.
struct Program(Child);

impl Program {
    fn holding(path: &std::path::Path) -> Self {
        let file = std::fs::File::open(path).unwrap();
        Self(
            Command::new("sleep")
                .arg("600")
                .stdin(file)
                .spawn()
                .unwrap(),
        )
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        self.0.kill().ok();
        self.0.wait().ok();
    }
}

#[test]
fn what_the_check_says_of_the_dustpan_is_so_and_all_of_it_comes_back() {
    // What starts taken and is set aside stays this time.
    let caches = ["knotbook", "ferrylog", "gullmail", "tidewatch"];
    let mut spared = caches
        .map(|program| format!("home/*/.cache/{program}/**"))
        .to_vec();
    spared.push("**/recently-used.xbel".to_owned());
    let spared: Vec<&str> = spared.iter().map(String::as_str).collect();
    let mut desk = TestUi::with(&spared).scanned();
    desk.find("recently-used-files");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Tab);
    let shown = desk.frame(142, 70).join("\n");
    for words in [
        "To be set aside: 1 item, ",
        "1 item at least until ",
        " packed; g at report or arrive gets them back",
        "another volume, so all of it is freed",
    ] {
        assert!(shown.contains(words), "{words}: {shown}");
    }
    let check = desk.model.check.as_ref().unwrap();
    let items = check.manifest.as_ref().unwrap().items.iter();
    let aside = items.filter(|item| &*item.rule == "linux/recently-used-files");
    let paths: Vec<PathBuf> = aside
        .map(|item| desk.root().join(item.path.to_string()))
        .collect();
    let whole = std::fs::read(&paths[0]).unwrap();
    desk.key(KeyCode::Char('r'));
    desk.text("sweep");
    assert!(desk.shown().contains("went as rehearsed"));
    assert!(!paths[0].exists());

    desk.key(KeyCode::Char('g'));
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    assert!(shown.contains("all of it: 1 item"), "{shown}");
    assert!(shown.contains("kept at least until"), "{shown}");
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char('g'));
    let shown = desk.shown();
    assert!(shown.contains("1 item brought back"), "{shown}");
    assert!(shown.contains("back since"), "{shown}");
    assert_eq!(std::fs::read(&paths[0]).unwrap(), whole);
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Char('g'));
    let shown = desk.shown();
    assert!(shown.contains("1 not, such as"), "{shown}");
    desk.key(KeyCode::Delete);
    assert!(desk.shown().contains("del once more empties it for good"));
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Up);
    desk.key(KeyCode::Delete);
    assert!(
        desk.shown().contains("once more"),
        "a look elsewhere takes the question back"
    );
    desk.key(KeyCode::Delete);
    assert!(
        desk.shown().contains("Nothing waits here."),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Esc);
    assert_eq!(desk.model.station, Station::Report);
}

#[test]
fn what_was_in_use_is_named_and_tried_again_alone_from_the_report_and_from_arrive() {
    let mut desk = TestUi::new().scanned();
    let dump = desk.root().join("tmp/dump-4411.bin");
    let program = Program::holding(&dump);
    desk.key(KeyCode::Tab);
    let shown = desk.frame(142, 70).join("\n");
    assert!(
        row(&shown, &["close first"]).contains("1 file waits for it"),
        "{shown}"
    );
    desk.text("sweep");
    let shown = desk.shown();
    assert!(shown.contains("1 stayed, in-use: open in sleep"), "{shown}");
    assert!(shown.contains("t tries it again"), "{shown}");
    assert!(dump.exists());

    // As after a restart: the next look at the computer offers it.
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    assert_eq!(desk.model.station, Station::Arrive);
    desk.key(KeyCode::Char('l'));
    let shown = desk.shown();
    assert!(shown.contains("left 1 item; t tries them again"), "{shown}");
    drop(program);
    desk.key(KeyCode::Char('t'));
    assert_eq!(desk.model.station, Station::Check, "{}", desk.shown());
    let list = desk.model.check.as_ref().unwrap().manifest.clone().unwrap();
    let paths: Vec<String> = list
        .items
        .iter()
        .map(|item| item.path.to_string())
        .collect();
    assert_eq!(paths, ["tmp/dump-4411.bin"]);
    desk.text("sweep");
    assert!(!dump.exists());
    assert!(desk.model.report.as_ref().unwrap().left.is_none());
}

#[test]
fn the_list_is_saved_once_and_only_for_this_person() {
    use std::os::unix::fs::PermissionsExt as _;
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Tab);
    let path = desk.dir.path().join("list.jsonl");
    for _ in 0..2 {
        desk.key(KeyCode::Char('f'));
        for _ in 0..60 {
            desk.key(KeyCode::Backspace);
        }
        desk.text(path.to_str().unwrap());
        desk.key(KeyCode::Enter);
        if !desk.shown().contains("Saved.") {
            assert!(
                desk.shown().contains("is there already"),
                "{}",
                desk.shown()
            );
        }
    }
    assert_eq!(
        std::fs::metadata(&path).unwrap().permissions().mode() & 0o777,
        0o600
    );
    let plan = std::fs::File::open(&path).unwrap();
    let read = jolly_core::plan::read_plan(plan, jolly_core::plan::MostRead::default());
    let list = desk.model.check.as_ref().unwrap().manifest.clone().unwrap();
    assert_eq!(read.unwrap(), *list);
}

/// Types another name for the file.
fn name_it(desk: &mut TestUi, path: &std::path::Path) {
    for _ in 0..140 {
        desk.key(KeyCode::Backspace);
    }
    desk.text(path.to_str().unwrap());
}

#[test]
fn what_the_run_did_is_shown_and_exported_and_a_wrong_name_is_asked_again() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Tab);
    desk.text("sweep");
    desk.key(KeyCode::Char('e'));
    let run = desk.model.report.as_ref().unwrap().run.clone();
    let shown = desk.shown();
    for said in [
        &*format!("-{run}.pdf"),
        "came back",
        "What went",
        "Finished with",
    ] {
        assert!(shown.contains(said), "{said}: {shown}");
    }
    let path = desk.dir.path().join("run");
    name_it(&mut desk, &path);
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("must end with"), "{}", desk.shown());
    desk.text(".csv");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("Saved as "), "{}", desk.shown());
    let table = std::fs::read_to_string(path.with_extension("csv")).unwrap();
    let summary = &desk.model.report.as_ref().unwrap().summary;
    let items: u64 = summary.outcomes.values().map(|sum| sum.items).sum();
    assert_eq!(table.lines().count() as u64, items + 1);
    // A file that is there is replaced when that is said once more, and only then.
    let path = path.with_extension("pdf");
    std::fs::write(&path, "mine").unwrap();
    desk.key(KeyCode::Char('e'));
    name_it(&mut desk, &path);
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("enter once more replaces it"));
    assert_eq!(std::fs::read(&path).unwrap(), b"mine");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("Saved as "), "{}", desk.shown());
    assert!(std::fs::read(&path).unwrap().starts_with(b"%PDF-"));
    // A folder that isn't there is told, and the name stays to be mended.
    desk.key(KeyCode::Char('e'));
    let nowhere = desk.dir.path().join("nowhere/run.pdf");
    name_it(&mut desk, &nowhere);
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("cannot write"), "{}", desk.shown());
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
}

#[test]
fn the_piles_by_age_are_exported_as_they_are_decided() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('e'));
    let shown = desk.shown();
    assert!(
        shown.contains("Temporary folder, system, older than 1 week"),
        "{shown}"
    );
    let path = desk.dir.path().join("ages.svg");
    name_it(&mut desk, &path);
    desk.key(KeyCode::Enter);
    let drawn = std::fs::read_to_string(&path).unwrap();
    let takes = desk.model.weigh.as_ref().unwrap().decisions.takes_in_all();
    let said = format!("{} to sweep of", crate::wording::bytes(takes.bytes));
    assert!(drawn.contains(&said), "{said}");
}

#[test]
fn a_pause_holds_the_time_and_looking_again_leads_back_to_the_check() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Char('l'));
    assert_eq!(desk.model.station, Station::Check);
    let check = desk.model.check.as_ref().unwrap();
    desk.model.sweeping = Some(crate::tui::model::Sweeping::new(
        check,
        100,
        desk.model.clock,
    ));
    desk.model.station = Station::Sweep;
    desk.model.clock += Duration::from_secs(3);
    let press = |desk: &mut TestUi| {
        let key = KeyEvent::new(KeyCode::Char('p'), KeyModifiers::NONE);
        update(&mut desk.model, Msg::Key(key))
    };
    assert!(matches!(
        press(&mut desk)[..],
        [Effect::Run(RunWork::HoldSweep)]
    ));
    assert!(desk.shown().contains("Paused"));
    desk.model.clock += Duration::from_mins(1);
    let worked = |desk: &TestUi| {
        desk.model
            .sweeping
            .as_ref()
            .unwrap()
            .worked(desk.model.clock)
    };
    assert_eq!(worked(&desk), Duration::from_secs(3));
    assert!(matches!(press(&mut desk)[..], [Effect::Run(RunWork::GoOn)]));
    desk.model.clock += Duration::from_secs(2);
    assert_eq!(worked(&desk), Duration::from_secs(5));
}
