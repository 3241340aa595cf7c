//! Weighing, as a technician does it: look inside, spare what matters, change your mind.

use std::collections::BTreeSet;
use std::path::Path;

use jolly_core::decide::Scope;
use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};

use super::*;
use crate::tui::model::{Counted, InsideRow};

impl TestUi {
    /// The same computer, opened anew as after a restart.
    pub(super) fn restarted(mut self) -> Self {
        let session = Arc::new(Session::open(&self.options, &self.root()).unwrap());
        let selection = session.selection(&self.options).unwrap();
        let volume = session.target.measure().unwrap();
        self.model = Model::new();
        self.model.open(session, selection, volume);
        self.model.station = Station::Scan;
        self.scanned()
    }

    fn click(&mut self, column: u16, row: usize) {
        self.tell(Msg::Mouse(MouseEvent {
            kind: MouseEventKind::Down(MouseButton::Left),
            column,
            row: u16::try_from(row).unwrap(),
            modifiers: KeyModifiers::NONE,
        }));
    }

    /// What one file frees, as the scan saw it: disks need a block more for some.
    fn frees(&self, path: &str) -> u64 {
        let arena = &self.model.weigh.as_ref().unwrap().scan.arena;
        let mut items = arena.items();
        let item = items.find(|item| arena.path(*item).as_bytes() == path.as_bytes());
        arena.frees(item.unwrap())
    }

    /// How many files go: two scans agree on that, whatever a disk holds for each.
    fn files(&self) -> u64 {
        let decisions = &self.model.weigh.as_ref().unwrap().decisions;
        decisions.takes_in_all().items
    }

    fn message(&self) -> &str {
        self.model.message.as_deref().unwrap_or_default()
    }

    /// Opens a pile and moves to the entry that is called so.
    fn look_at(&mut self, pile: &str, name: &str) {
        self.find(pile);
        self.key(KeyCode::Enter);
        self.key(KeyCode::Char('/'));
        self.text(name);
        self.key(KeyCode::Esc);
    }

    fn exclusions(&self) -> Vec<(String, Scope, bool)> {
        let decisions = &self.model.weigh.as_ref().unwrap().decisions;
        let all = decisions.exclusions().iter().map(|one| &one.exclusion);
        all.map(|one| (one.spares.to_string(), one.scope, one.is_suspended))
            .collect()
    }

    fn config(&self, name: &str) -> String {
        std::fs::read_to_string(self.dir.path().join("config").join(name)).unwrap_or_default()
    }
}

#[test]
fn a_newcomer_finds_the_biggest_spares_a_folder_takes_the_old_trash_and_undoes() {
    let mut desk = TestUi::new().scanned();
    // Every key that is pressed here stands in the key line.
    let offers = |desk: &TestUi, keys: &str| {
        let line = desk.frame(142, 44)[43].clone();
        for key in keys.split(", ") {
            assert!(line.contains(key), "{key} is not in: {line}");
        }
    };
    offers(
        &desk,
        "o order, enter look inside, / find, = exact age, space take, u undo, v sites",
    );
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Down);
    let shown = desk.shown();
    assert!(focused(&shown).contains("Temporary folder"), "{shown}");
    assert!(shown.contains("Files that programs put down while they worked"));
    assert!(shown.contains("in use  nothing that is seen"));

    desk.key(KeyCode::Enter);
    offers(
        &desk,
        "space take or leave, x exclude, esc back, enter open, o order",
    );
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    assert!(row(&shown, &["dump-4411.bin", "212 MiB"]).contains('●'));
    desk.key(KeyCode::Char('/'));
    desk.text("import-2024");
    desk.key(KeyCode::Esc);
    let before = desk.takes();
    desk.key(KeyCode::Char('x'));
    let shown = desk.shown();
    assert!(row(&shown, &["this folder"]).contains("tmp/import-2024"));
    assert!(shown.contains("It spares 40 items"), "{shown}");
    desk.text("the bookings");
    desk.key(KeyCode::Enter);
    let spared = desk.takes();
    assert!(spared < before);
    assert!(
        desk.message()
            .contains("Excluded on this computer: tmp/import-2024")
    );
    let shown = desk.shown();
    assert!(row(&shown, &["import-2024/", "excluded"]).contains('○'));
    assert!(
        shown.contains("stays  excluded on this computer: tmp/import-2024, because: the bookings")
    );
    desk.key(KeyCode::Esc);

    desk.find("trash pia");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('='));
    desk.text("1 month");
    desk.key(KeyCode::Enter);
    assert!(desk.takes() > spared);
    assert!(row(&desk.shown(), &["Trash", "pia", "1 month"]).contains('●'));
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.message(), "Undone: Trash of pia: taken.");
    assert_eq!(desk.takes(), spared);
}

/// The row in focus.
fn focused(shown: &str) -> &str {
    shown.lines().find(|line| line.starts_with('▌')).unwrap()
}

#[test]
fn an_exclusion_is_remembered_undone_suspended_changed_and_deleted() {
    let mut desk = TestUi::new().scanned();
    let start = desk.files();
    desk.look_at("temporary", "dump-4411");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Enter);
    let spared = desk.files();
    assert_eq!(start - spared, 1);
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.files(), start);
    let mut desk = desk.restarted();
    assert_eq!(desk.files(), start, "what was undone is not remembered");
    desk.look_at("temporary", "dump-4411");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Char('U'));
    let mut desk = desk.restarted();
    assert_eq!(desk.files(), spared, "what counts is remembered");

    // For all computers, by pattern.
    desk.look_at("temporary", "dump-4411");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Right);
    assert!(desk.shown().contains("*.bin"));
    desk.key(KeyCode::Enter);
    assert!(
        desk.config("exclusions.toml")
            .contains("pattern = \"*.bin\"")
    );
    assert_eq!(desk.exclusions().len(), 2);

    desk.key(KeyCode::Char('X'));
    let shown = desk.shown();
    assert!(row(&shown, &["tmp/dump-4411.bin", "this computer"]).contains("212 MiB"));
    assert!(row(&shown, &["*.bin", "all computers"]).contains("MiB"));
    desk.key(KeyCode::End);
    desk.key(KeyCode::Delete);
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Char(' '));
    assert_eq!(desk.files(), start, "suspended, it spares nothing");
    let mut desk = desk.restarted();
    let path = "tmp/dump-4411.bin".to_owned();
    assert_eq!(desk.exclusions(), [(path.clone(), Scope::Computer, true)]);
    assert_eq!(desk.files(), start);

    // Changed: the reason, and that it counts again.
    desk.key(KeyCode::Char('X'));
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Enter);
    desk.text("still wanted");
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Right);
    desk.key(KeyCode::Enter);
    assert_eq!(desk.exclusions(), [(path, Scope::Everywhere, false)]);
    assert!(row(&desk.shown(), &["tmp/dump-4411.bin"]).contains("still wanted"));
    desk.key(KeyCode::Delete);
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.exclusions().len(), 1, "a deletion can be undone");
}

#[test]
fn a_pattern_that_is_none_or_fits_everything_is_said_before_it_counts() {
    let mut desk = TestUi::new().scanned();
    let start = desk.takes();
    desk.find("temporary");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Down);
    assert!(desk.shown().contains("it is empty"));
    desk.text("[a");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("is not a pattern"));
    desk.key(KeyCode::Backspace);
    desk.key(KeyCode::Backspace);
    desk.text("*");
    let found = desk.model.weigh.as_ref().unwrap().decisions.found_in_all();
    let shown = desk.shown();
    assert!(
        shown.contains("It spares everything that was found: "),
        "{shown}"
    );
    assert!(shown.contains(&crate::wording::count(found.items)));
    desk.key(KeyCode::Enter);
    assert_eq!(desk.takes(), start, "it is asked once more");
    assert!(desk.shown().contains("Nothing would be left to sweep"));
    desk.key(KeyCode::Enter);
    assert_eq!(desk.takes(), 0);
    desk.key(KeyCode::Char('u'));
    assert_eq!(desk.takes(), start);

    // Sizes and ages are read as they are elsewhere, and nonsense is told at its place.
    for (downs, wrong, right) in [(2, "much", "100 MiB"), (3, "3 fortnights", "200 years")] {
        desk.key(KeyCode::Char('x'));
        (0..downs).for_each(|_| desk.key(KeyCode::Down));
        desk.text(wrong);
        desk.key(KeyCode::Enter);
        let Some(Overlay::Exclude(draft)) = &desk.model.overlay else {
            panic!("it was taken in");
        };
        assert!(matches!(draft.counted, Counted::Wrong(_)));
        wrong.chars().for_each(|_| desk.key(KeyCode::Backspace));
        desk.text(right);
        desk.key(KeyCode::Enter);
        // What spares everything is asked for twice.
        if desk.model.overlay.is_some() {
            desk.key(KeyCode::Enter);
        }
        assert!(
            desk.takes() < start,
            "{right}: {}\n{}",
            desk.message(),
            desk.shown()
        );
        desk.key(KeyCode::Char('u'));
        assert_eq!(desk.takes(), start);
    }
    // A file that somebody broke is told with its place, and nothing is opened without it.
    let file = desk.model.session.as_ref().unwrap().files.computer.clone();
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    std::fs::write(&file, "[[exclusion]]\nwhere = \"tmp\"\n").unwrap();
    let refused = Session::open(&desk.options, &desk.root()).err().unwrap();
    assert!(refused.message.contains(".toml:2:1"), "{}", refused.message);
    // And it is not written over.
    desk.find("temporary");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Enter);
    assert!(
        desk.message().contains("is not remembered"),
        "{}",
        desk.message()
    );
    assert!(std::fs::read_to_string(&file).unwrap().contains("where"));
}

#[test]
fn single_things_are_taken_and_left_and_say_why() {
    let mut desk = TestUi::new().scanned();
    let start = desk.takes();
    desk.look_at("temporary", "dump-4411");
    desk.key(KeyCode::Char(' '));
    assert_eq!(start - desk.takes(), desk.frees("tmp/dump-4411.bin"));
    assert!(row(&desk.shown(), &["dump-4411.bin"]).contains("left by hand"));
    desk.key(KeyCode::Char(' '));
    assert_eq!(desk.takes(), start, "again, and it goes as its pile does");

    // What is too young goes when it is taken by hand.
    desk.key(KeyCode::Char('/'));
    desk.text("till-0396");
    desk.key(KeyCode::Esc);
    assert!(desk.shown().contains("younger than 1 week"));
    desk.key(KeyCode::Char(' '));
    assert_eq!(desk.takes() - start, desk.frees("tmp/till-0396.tmp"));
    assert!(row(&desk.shown(), &["till-0396"]).contains("taken by hand"));

    // The age limit of the pile is moved from inside, and the rows follow.
    desk.key(KeyCode::Char('='));
    desk.text("5 years");
    desk.key(KeyCode::Enter);
    assert!(row(&desk.shown(), &["till-0396"]).contains("taken by hand"));
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Down);
    assert!(row(&desk.shown(), &["dump-4411"]).contains("too young"));
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Esc);

    // Of a pile that is left one thing alone can go, with what describes it.
    desk.look_at("trash pia", "flyers-2022");
    let shown = desk.shown();
    assert!(
        shown.contains("lay at  /home/pia/Desktop/flyers-2022   thrown away  20"),
        "{shown}"
    );
    let before = desk.takes();
    desk.key(KeyCode::Char(' '));
    assert!(desk.takes() > before);
    let shown = desk.shown();
    assert!(row(&shown, &["flyers-2022/"]).contains('●'));
    assert!(row(&shown, &["regatta.mp4"]).contains('○'));
    desk.key(KeyCode::Esc);
    assert!(row(&desk.shown(), &["Trash", "pia"]).contains('◐'));

    // What was decided can be walked back to.
    desk.key(KeyCode::Char('d'));
    let shown = desk.shown();
    assert!(row(&shown, &["flyers-2022 in Trash of pia: taken"]).contains("we are here"));
    desk.key(KeyCode::End);
    desk.key(KeyCode::Enter);
    assert_eq!(desk.takes(), start);
    assert_eq!(desk.message(), "Back to: as the rules recommend.");
    desk.key(KeyCode::Char('U'));
    assert!(
        desk.message()
            .contains("dump-4411.bin in Temporary folder of the system: left")
    );
}

#[test]
fn what_is_not_of_a_pile_is_told_in_its_folder() {
    let mut desk = TestUi::new().scanned();
    desk.look_at("trash pia", "regatta");
    let shown = desk.shown();
    let told = row(&shown, &["undated.txt"]);
    assert!(told.contains("its age isn't known"), "{told}");
    let view = desk.model.weigh.as_ref().unwrap().inside.as_ref().unwrap();
    let at = (0..view.len()).find(|at| matches!(view.row(*at), Some((InsideRow::Other(..), _))));
    desk.model
        .weigh
        .as_mut()
        .unwrap()
        .inside
        .as_mut()
        .unwrap()
        .focus = at.unwrap();
    desk.key(KeyCode::Char(' '));
    assert!(desk.message().contains("not of this pile"));
    assert!(desk.shown().contains("linux/trash"));
}

#[test]
fn a_shop_starts_as_it_says_and_comes_back_to_what_is_built_in() {
    let mut desk = TestUi::new().scanned();
    let start = desk.files();
    desk.key(KeyCode::Char('s'));
    let Some(Overlay::Starts(view)) = &desk.model.overlay else {
        panic!("no view");
    };
    let trash = view.rows.iter().position(|row| {
        let session = desk.model.session.as_ref().unwrap();
        matches!(row, crate::tui::model::StartsRow::Rule(rule) if session.rules.rule(*rule).id == "linux/trash")
    });
    (0..trash.unwrap()).for_each(|_| desk.key(KeyCode::Down));
    assert!(row(&desk.shown(), &["Trash"]).contains("left, older than 1 month"));
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('='));
    desk.text("3 fortnights");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("names no known unit"));
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char(']'));
    // Looking at the keys loses nothing of what was said.
    desk.key(KeyCode::Char('?'));
    desk.key(KeyCode::Esc);
    assert!(
        row(&desk.shown(), &["Trash", "taken, older than 3 months"])
            .contains("left, older than 1 month")
    );
    desk.key(KeyCode::Esc);
    let more = desk.files();
    assert!(more > start);
    desk.find("trash pia");
    assert!(row(&desk.shown(), &["Trash", "pia", "3 months"]).contains('●'));
    let mut desk = desk.restarted();
    assert_eq!(desk.files(), more, "it starts so from now on");
    // What is built in comes back, and the file says nothing of it any more.
    desk.key(KeyCode::Char('s'));
    (0..trash.unwrap()).for_each(|_| desk.key(KeyCode::Down));
    desk.key(KeyCode::Delete);
    desk.key(KeyCode::Esc);
    assert_eq!(desk.files(), start);
    assert!(!desk.config("start.toml").contains("[rule.\"linux/trash\"]"));
}

#[test]
fn a_folder_becomes_a_pile_of_its_own_and_what_was_decided_still_counts() {
    let mut desk = TestUi::new().scanned();
    // A folder that is guarded can't be a pile; another one can, and is scanned at once.
    let exports = desk.root().join("home/pia/exports");
    std::fs::create_dir_all(exports.join("deep")).unwrap();
    std::fs::write(exports.join("deep/bookings.csv"), [b'x'; 5000]).unwrap();
    desk.find("temporary");
    desk.key(KeyCode::Char('['));
    let steps = desk.files();
    desk.key(KeyCode::Char('a'));
    desk.text("home/pia/Documents");
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("guarded"), "{}", desk.shown());
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Up);
    desk.key(KeyCode::Up);
    (0..20).for_each(|_| desk.key(KeyCode::Backspace));
    desk.text("home/pia/exp");
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Down);
    desk.text("Old exports");
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    assert!(desk.model.overlay.is_none(), "{shown}");
    assert!(
        row(&shown, &["Old exports", "system"]).contains("KiB"),
        "{shown}"
    );
    assert_eq!(desk.model.station, Station::Weigh);
    let one_more = steps + 1;
    assert_eq!(desk.files(), one_more, "what was decided still counts");
    desk.key(KeyCode::Char('u'));
    assert!(
        desk.message().contains("Temporary folder"),
        "the way back is longer than a scan"
    );
    let mut desk = desk.restarted();
    assert!(desk.shown().contains("Old exports"));
    // What isn't there can't be added, and what was added can be removed again, after a yes.
    desk.key(KeyCode::Char('a'));
    desk.text("nope/none");
    desk.key(KeyCode::Enter);
    assert!(desk.shown().contains("nope/none: "), "{}", desk.shown());
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('b'));
    desk.key(KeyCode::End);
    desk.key(KeyCode::Delete);
    assert!(desk.message().starts_with("Only a folder that was added"));
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Delete);
    assert!(
        desk.shown()
            .contains("del once more removes \"Old exports\"")
    );
    desk.key(KeyCode::Delete);
    assert!(!desk.shown().contains("Old exports"));
    assert!(!desk.restarted().shown().contains("Old exports"));
}

#[test]
fn the_mouse_sets_the_line_takes_and_scrolls() {
    let mut desk = TestUi::new().scanned();
    let shown = desk.shown();
    let heading = shown.lines().nth(4).unwrap();
    let at = |name: &str| {
        let byte = heading.find(name).unwrap();
        u16::try_from(heading[..byte].chars().count()).unwrap()
    };
    let line = shown
        .lines()
        .position(|line| line.contains("Temporary folder"))
        .unwrap();
    desk.click(at("3m") + 1, line);
    assert!(row(&desk.shown(), &["Temporary folder"]).contains("3 months"));
    desk.click(at("now") + 1, line);
    assert!(row(&desk.shown(), &["Temporary folder"]).contains("any age"));
    desk.click(1, line);
    assert!(row(&desk.shown(), &["Temporary folder"]).contains('○'));
    desk.click(5, line);
    assert!(
        desk.model.weigh.as_ref().unwrap().inside.is_some(),
        "a second click looks inside"
    );
    desk.click(1, 5);
    assert!(
        row(&desk.shown(), &["dump-4411.bin"]).contains('●'),
        "{}",
        desk.shown()
    );
    let before = desk
        .model
        .weigh
        .as_ref()
        .unwrap()
        .inside
        .as_ref()
        .unwrap()
        .focus;
    desk.tell(Msg::Mouse(MouseEvent {
        kind: MouseEventKind::ScrollDown,
        column: 0,
        row: 0,
        modifiers: KeyModifiers::NONE,
    }));
    let after = desk
        .model
        .weigh
        .as_ref()
        .unwrap()
        .inside
        .as_ref()
        .unwrap()
        .focus;
    assert!(after > before);
    // Beside the list nothing is clicked.
    let takes = desk.takes();
    (0..44)
        .filter(|row| !(5..36).contains(row))
        .for_each(|row| desk.click(1, row));
    assert_eq!(desk.takes(), takes);
}

#[test]
fn what_is_excluded_on_all_computers_counts_on_the_next_one_at_once() {
    let mut desk = TestUi::new().scanned();
    // The bench knows both computers before anything is excluded.
    let office = desk.dir.path().join("office");
    jolly_demo::build(&office, jolly_demo::DemoLayout::Windows, NOW_SECONDS).unwrap();
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::Char('a'));
    desk.tell(Msg::Pasted(office.display().to_string()));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Tab);
    desk.find("temporary");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Down);
    desk.text("*.tmp");
    desk.key(KeyCode::Tab);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Tab);
    desk.text("theirs");
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::End);
    desk.key(KeyCode::Enter);
    assert!(
        desk.model.facts.label.contains("office"),
        "{}",
        desk.shown()
    );
    let all = desk.exclusions();
    assert_eq!(all, [("*.tmp".to_owned(), Scope::Everywhere, false)]);
    assert!(desk.config("exclusions.toml").contains("why = \"theirs\""));
    let decisions = &desk.model.weigh.as_ref().unwrap().decisions;
    assert!(decisions.exclusions()[0].reach.found.items > 0);
}

#[test]
fn every_view_of_weigh_draws_at_every_size() {
    let mut desk = TestUi::new().scanned();
    let draws = |desk: &TestUi, words: &str| {
        for (width, height) in [(20, 5), (80, 24), (100, 30), (142, 44), (300, 90)] {
            for ascii in [false, true] {
                let looks = Looks {
                    ascii,
                    light: ascii,
                    plain: false,
                };
                let shown = frame(&desk.model, &looks, width, height).join("\n");
                assert!(
                    width < 80 || shown.contains(words),
                    "{words} at {width} × {height}:\n{shown}"
                );
            }
        }
    };
    desk.find("temporary");
    desk.key(KeyCode::Enter);
    draws(&desk, "rule  linux/system-temp");
    desk.key(KeyCode::Char('x'));
    draws(&desk, "counts on");
    desk.text("why not");
    desk.key(KeyCode::Enter);
    draws(&desk, "excluded");
    desk.key(KeyCode::Char('X'));
    draws(&desk, "kept in");
    desk.key(KeyCode::Char('?'));
    draws(&desk, "Keys at exclusions");
    desk.key(KeyCode::Esc);
    draws(&desk, "kept in");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('d'));
    draws(&desk, "we are here");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Enter);
    draws(&desk, "folded");
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Char('s'));
    draws(&desk, "this shop starts");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('a'));
    draws(&desk, "as a pile of its own");
    desk.key(KeyCode::Esc);
    desk.find("trash pia");
    desk.key(KeyCode::Char('w'));
    assert!(desk.message().contains("goes for good") || desk.message().contains("written over"));
    assert!(Path::new(&desk.root()).exists());
}

#[test]
fn all_keys_can_be_read_on_a_small_screen() {
    let mut desk = TestUi::new().scanned();
    desk.model.size = (80, 24);
    desk.key(KeyCode::Char('?'));
    let shown = |desk: &TestUi| desk.frame(80, 24).join("\n");
    let mut seen = shown(&desk);
    assert!(seen.contains("↑ ↓ show more"), "{seen}");
    for _ in 0..40 {
        desk.key(KeyCode::Down);
        seen += &shown(&desk);
    }
    for row in keys::at(Context::Ages) {
        let start: String = row.says.chars().take(40).collect();
        assert!(seen.contains(&start), "{start}");
    }
    desk.key(KeyCode::Char('x'));
    assert!(desk.model.overlay.is_none());
}

#[test]
fn what_was_chosen_by_hand_is_what_is_swept() {
    let mut desk = TestUi::new().scanned();
    desk.look_at("temporary", "till-0396");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('/'));
    desk.text("dump-4411");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('/'));
    desk.text("unpacked");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Esc);
    desk.look_at("trash pia", "flyers-2022");
    desk.key(KeyCode::Char(' '));
    let unpacked = desk.root().join("tmp/unpacked");
    let names = |folder: &Path| std::fs::read_dir(folder).unwrap().count();
    let before = names(&unpacked);
    desk.key(KeyCode::Tab);
    // One was left by hand, and of the folder what was old enough is excluded.
    let shown = desk.frame(142, 70).join("\n");
    assert!(shown.contains("176 excluded or left by hand"), "{shown}");
    desk.text("sweep");
    assert_eq!(desk.model.station, Station::Report);
    let is_there = |path: &str| desk.root().join(path).exists();
    assert!(!is_there("tmp/till-0396.tmp") && is_there("tmp/dump-4411.bin"));
    assert_eq!(names(&unpacked), before);
    let trash = "home/pia/.local/share/Trash";
    assert!(!is_there(&format!("{trash}/files/flyers-2022")));
    assert!(!is_there(&format!("{trash}/info/flyers-2022.trashinfo")));
    assert!(is_there(&format!("{trash}/files/regatta.mp4")));
    assert!(is_there(&format!("{trash}/info/regatta.mp4.trashinfo")));
    let verified = desk.model.report.as_ref().unwrap().verified.as_ref();
    let verified = verified.unwrap();
    assert_eq!(verified.takes.items, verified.stayed.items);
}

#[test]
fn what_somebody_writes_into_the_files_meanwhile_counts_from_the_next_scan_on() {
    let mut desk = TestUi::new().scanned();
    let start = desk.files();
    desk.look_at("temporary", "pair-one");
    desk.key(KeyCode::Char('x'));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Esc);
    let file = desk.model.session.as_ref().unwrap().files.computer.clone();
    let text = std::fs::read_to_string(&file).unwrap();
    let by_hand = "\n[[exclusion]]\npath = \"tmp/dump-4411.bin\"\n";
    std::fs::write(&file, text.clone() + by_hand).unwrap();
    desk.key(KeyCode::Char('l'));
    assert_eq!(desk.exclusions().len(), 2);
    assert_eq!(desk.files(), start - 2);
    // What is undone here stays undone, and what is broken there is told.
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Char('l'));
    assert_eq!(desk.exclusions().len(), 1);
    assert!(
        !std::fs::read_to_string(&file)
            .unwrap()
            .contains("dump-4411")
    );
    std::fs::write(&file, text + "[[exclusion]]\nhow = 1\n").unwrap();
    desk.key(KeyCode::Char('l'));
    assert!(
        desk.message().contains("what is excluded can't be read"),
        "{}",
        desk.message()
    );
    assert_eq!(desk.model.station, Station::Scan);
    // Broken while a sweep is under way, it doesn't hold anybody at the report.
    std::fs::write(&file, "").unwrap();
    desk.key(KeyCode::Char('l'));
    desk.key(KeyCode::Tab);
    std::fs::write(&file, "how = 1").unwrap();
    desk.text("sweep");
    assert_eq!(desk.model.station, Station::Report);
    assert!(
        desk.message().contains("came to nothing"),
        "{}",
        desk.message()
    );
    desk.key(KeyCode::Esc);
    assert_eq!(desk.model.station, Station::Weigh);
}

#[test]
fn going_on_reaches_every_pile_that_holds_the_words() {
    let mut desk = TestUi::new().scanned();
    let weigh = desk.model.weigh.as_ref().unwrap();
    let shown = weigh.decisions.shown(&weigh.scan);
    let wanted: BTreeSet<_> = shown
        .filter(|id| weigh.scan.account_name(weigh.scan.pile(*id)) == Some("pia"))
        .collect();
    assert!(wanted.len() > 5, "too few piles to go on to: {wanted:?}");
    desk.find("pia");
    let mut reached = BTreeSet::new();
    for _ in 0..3 * wanted.len() {
        reached.extend(desk.model.weigh.as_ref().unwrap().focused_pile());
        desk.key(KeyCode::Char('n'));
    }
    assert!(wanted.is_subset(&reached), "{reached:?} of {wanted:?}");
}
