//! What helps somebody who sees the program for the first time: the line of a station, what the mouse
//! points at, keys and stations that can be clicked, being asked before leaving.

use ratatui::crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

use super::{Looks, Msg, Station, TestUi, frame};

impl TestUi {
    fn mouse(&mut self, kind: MouseEventKind, column: usize, row: usize) {
        self.tell(Msg::Mouse(MouseEvent {
            kind,
            column: u16::try_from(column).unwrap(),
            row: u16::try_from(row).unwrap(),
            modifiers: KeyModifiers::NONE,
        }));
    }

    fn click_at(&mut self, column: usize, row: usize) {
        self.mouse(MouseEventKind::Down(MouseButton::Left), column, row);
    }

    /// The column of some words in a line of the screen.
    fn column(&self, row: usize, words: &str) -> usize {
        let line = self.frame(142, 44)[row].clone();
        let at = line
            .find(words)
            .unwrap_or_else(|| panic!("{words} is not in {line}"));
        line[..at].chars().count()
    }
}

#[test]
fn a_station_says_what_it_is_for_until_that_was_done_once() {
    let mut desk = TestUi::new().scanned();
    let hint = Station::Weigh.hint();
    assert!(desk.shown().contains(hint));
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char('o'));
    desk.key(KeyCode::Down);
    assert!(
        desk.shown().contains(hint),
        "the line has not been moved yet"
    );
    desk.key(KeyCode::Char(']'));
    desk.key(KeyCode::Down);
    assert!(!desk.shown().contains(hint));
    desk.key(KeyCode::Char('?'));
    assert!(desk.shown().contains(hint), "the help has it for good");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Tab);
    assert!(
        desk.shown().contains(Station::Check.hint()),
        "each has its own"
    );
    // It is kept for this person; a file that says nonsense costs a line of help and nothing else.
    let mut desk = desk.restarted();
    desk.key(KeyCode::Down);
    assert!(!desk.shown().contains(hint));
    std::fs::write(desk.dir.path().join("config/done.toml"), "done = 7").unwrap();
    let mut desk = desk.restarted();
    desk.key(KeyCode::Down);
    assert!(desk.shown().contains(hint));
}

#[test]
fn what_the_mouse_points_at_is_said_and_what_it_clicks_is_done() {
    let mut desk = TestUi::new().scanned();
    let rows = desk.frame(142, 44);
    let at = rows
        .iter()
        .position(|line| line.contains("Temporary folder"))
        .unwrap();
    let band = desk.column(4, " 3m") + 2;
    for (column, row, words) in [
        (
            band,
            at,
            "between 3 months and 6 months old; a click sets the age limit",
        ),
        (1, at, "taken: what is older than 1 week goes"),
        (band, 4, "the higher a bar"),
        (desk.column(4, "share"), at, "% of all that goes"),
        (
            desk.column(4, "older than"),
            at,
            "Goes: what is older than 1 week",
        ),
        (40, 1, "what the file system reserves"),
    ] {
        desk.mouse(MouseEventKind::Moved, column, row);
        assert!(desk.shown().contains(words), "{words}: {}", desk.shown());
    }
    desk.mouse(MouseEventKind::Moved, 0, 42);
    assert_eq!(desk.model.pointed, None);

    // The road and the key line can be clicked.
    desk.click_at(desk.column(43, "= exact age"), 43);
    assert!(desk.model.overlay.is_some());
    desk.key(KeyCode::Esc);
    desk.click_at(desk.column(0, "check"), 0);
    assert_eq!(desk.model.station, Station::Check);
    desk.click_at(desk.column(43, "sweep"), 43);
    assert!(
        desk.model.check.as_ref().unwrap().typed.is_empty(),
        "the word is typed by hand"
    );
    desk.click_at(desk.column(0, "report"), 0);
    assert_eq!(desk.model.station, Station::Check, "there is no report yet");
    desk.click_at(desk.column(0, "arrive"), 0);
    assert_eq!(desk.model.station, Station::Arrive);
}

#[test]
fn a_sign_leads_to_its_pile_and_leaving_asks_who_has_decided() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('q'));
    assert!(
        desk.model.is_over,
        "nothing was decided, so nothing is asked"
    );
    desk.model.is_over = false;
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    let shown = desk.shown();
    let sign = shown
        .lines()
        .find(|line| line.contains("Trash of pia: "))
        .unwrap();
    let number = sign
        .split("Trash of pia")
        .next()
        .unwrap()
        .trim()
        .chars()
        .last()
        .unwrap();
    desk.key(KeyCode::Char(number));
    assert_eq!(desk.model.station, Station::Weigh);
    let weigh = desk.model.weigh.as_ref().unwrap();
    assert_eq!(weigh.name_of(weigh.focused_pile().unwrap()), "Trash of pia");
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char('q'));
    assert!(!desk.model.is_over && desk.shown().contains("q once more leaves"));
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char('q'));
    assert!(!desk.model.is_over, "another key has answered no");
    desk.key(KeyCode::Char('q'));
    assert!(desk.model.is_over);
}

/// A screen reader gets words, in one column.
#[test]
fn in_plain_mode_nothing_is_drawn() {
    let mut desk = TestUi::new().scanned();
    let plain = |desk: &TestUi| {
        let looks = Looks {
            plain: true,
            ..Looks::default()
        };
        let shown = frame(&desk.model, &looks, 100, 60).join("\n");
        let strange = shown.chars().find(|letter| !letter.is_ascii());
        assert_eq!(strange, None, "{shown}");
        assert!(!shown.contains("---") && !shown.contains("###"), "{shown}");
        shown
    };
    let shown = plain(&desk);
    assert!(
        shown.contains("T Temporary folder") && shown.contains("L Trash"),
        "{shown}"
    );
    desk.key(KeyCode::Tab);
    assert!(plain(&desk).contains("Nobody will notice the rest"));
    desk.text("sweep");
    assert!(plain(&desk).contains("the biggest of it"));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::BackTab);
    desk.key(KeyCode::BackTab);
    let shown = plain(&desk);
    let below = |words: &str| shown.lines().position(|line| line.contains(words)).unwrap();
    assert!(
        below("accounts") > below("till computer"),
        "one below the other: {shown}"
    );
}

#[test]
fn earlier_runs_tell_what_stayed_and_lists_are_looked_through() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('h'));
    assert!(desk.shown().contains("No run of this computer yet"));
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Tab);
    desk.text("sweep");
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Char('h'));
    let shown = desk.shown();
    assert!(
        shown.contains("finished") && shown.contains("dump-4411.bin"),
        "{shown}"
    );
    for (width, height) in [(80, 24), (200, 60)] {
        assert!(
            desk.frame(width, height)
                .join("\n")
                .contains("Earlier runs")
        );
    }
    desk.key(KeyCode::Esc);
    // Finding works in every list, and goes on to the next one.
    desk.key(KeyCode::Char('b'));
    desk.key(KeyCode::Char('/'));
    desk.text("crash");
    desk.key(KeyCode::Enter);
    let rule = |desk: &TestUi| match &desk.model.overlay {
        Some(crate::tui::model::Overlay::Rulebooks(view)) => view.focus,
        _ => panic!("the rules are gone"),
    };
    let first = rule(&desk);
    desk.key(KeyCode::Char('n'));
    assert_ne!(rule(&desk), first);
    desk.key(KeyCode::Char('/'));
    desk.text("no such rule");
    assert!(desk.shown().contains("No row holds these words."));
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
}

/// The scan of the computer that was named runs beside the first look at it; following it waits for
/// neither.
#[test]
fn a_scan_under_way_is_followed_from_arrive_before_the_first_look_is_over() {
    let mut desk = TestUi::new();
    drop(crate::tui::update::start_scan(&mut desk.model));
    let root = desk.root();
    let origin = crate::tui::model::Origin::Opened;
    desk.model.bench.focus = desk.model.bench.add(root, origin);
    desk.model.station = Station::Arrive;
    assert!(desk.shown().contains("enter follows"), "{}", desk.shown());
    desk.key(KeyCode::Enter);
    assert_eq!(desk.model.station, Station::Scan);
    assert!(desk.model.is_scanning());
}
