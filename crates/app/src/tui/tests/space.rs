//! Where the space is: into folders and out of them, what nobody used, a pile made of one.

use jolly_core::walk::walk_tree;
use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

use super::*;
use crate::session::Session;
use crate::surveys::keep_look;
use crate::tui::model::PlaceLine;

#[test]
fn the_space_of_a_computer_is_walked_through_and_a_folder_becomes_a_pile() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('D'));
    let shown = desk.shown();
    assert!(shown.contains("Where the space is   /   1.6"), "{shown}");
    assert!(row(&shown, &["what lies here", "rules found"]).contains("last used"));
    assert!(
        shown
            .lines()
            .any(|line| line.starts_with('▌') && line.contains("home")),
        "{shown}"
    );
    // Down into joss's downloads, and out again: the focus stays where it was.
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Right);
    let shown = desk.shown();
    assert!(
        shown.contains("Where the space is   home/joss   "),
        "{shown}"
    );
    assert!(
        shown.contains("quay-12.4-live.iso 240 MiB"),
        "on its shelf: {shown}"
    );
    desk.key(KeyCode::Left);
    let shown = desk.shown();
    assert!(
        shown
            .lines()
            .any(|line| line.starts_with('▌') && line.contains("joss")),
        "{shown}"
    );
    // What nobody used for a year, by where it lies; enter goes there.
    desk.key(KeyCode::Char('o'));
    let shown = desk.shown();
    assert!(
        shown
            .lines()
            .any(|line| line.starts_with('▌')
                && line.contains("home/joss/Downloads/quay-12.4-live.iso")),
        "{shown}"
    );
    // What lies in downloads, with what can go most easily first; then back.
    desk.key(KeyCode::Char('o'));
    let shown = desk.shown();
    assert!(shown.contains("a list to tidy up by"), "{shown}");
    assert!(
        row(&shown, &["Downloads/lanternfish-3.2.AppImage"])
            .contains("an installer; lanternfish is installed"),
        "{shown}"
    );
    assert!(
        row(&shown, &["Downloads/quay-12.4-live.iso"]).contains("a disk image"),
        "{shown}"
    );
    desk.key(KeyCode::Char('o'));
    assert!(
        desk.shown().contains("what lies here"),
        "nothing is known of before"
    );
    desk.key(KeyCode::Char('o'));
    desk.key(KeyCode::Char('/'));
    desk.text("home/wren");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown().contains("Where the space is   home   "),
        "{}",
        desk.shown()
    );
}

#[test]
fn what_is_looked_at_there_is_excluded_or_becomes_a_pile() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('D'));
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Char('/'));
    desk.text("wren");
    desk.key(KeyCode::Esc);
    desk.key(KeyCode::Char('x'));
    let shown = desk.shown();
    assert!(
        shown.contains("this folder") && shown.contains("home/wren"),
        "{shown}"
    );
    desk.key(KeyCode::Esc);
    // The lens opens where it was left.
    desk.key(KeyCode::Char('D'));
    assert!(
        desk.shown().contains("Where the space is   home   "),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Char('a'));
    match &desk.model.overlay {
        Some(Overlay::Place(draft)) => {
            assert_eq!(
                (draft.folder.value(), draft.line),
                ("home/joss", PlaceLine::Folder)
            );
        }
        _ => panic!("{}", desk.shown()),
    }
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
}

/// A look is held against the last one of the visit before, however often somebody looks in one visit.
#[test]
fn a_look_is_held_against_the_last_visit() {
    let desk = TestUi::new().scanned();
    let session = desk.model.session.clone().unwrap();
    let begins = jiff::Timestamp::from_second(1_800_000_000).unwrap();
    let hours = |many: i64| begins + jiff::SignedDuration::from_hours(many);
    let look = |many: i64| {
        let session = Session {
            now: Some(hours(many)),
            ..(*session).clone()
        };
        let tree = walk_tree(&session.target, &[], &CancelToken::default(), &|_| {});
        let mut found = jolly_core::survey::space(&session.target, tree);
        keep_look(&session, &mut found).unwrap();
        found.before.map(|before| before.when)
    };
    assert_eq!([look(0), look(1)], [None, None]);
    assert_eq!([look(13), look(14)], [Some(hours(1)); 2]);
    assert_eq!(look(100), Some(hours(14)));
}

/// A click on a shelf goes there, one on what is in focus into it, one on the first out again; the wheel moves the list.
#[test]
fn the_mouse_walks_through_the_shelves() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('D'));
    let click_on = |desk: &mut TestUi, words: &str| {
        let shown = desk.shown();
        let (row, line) = shown
            .lines()
            .enumerate()
            .find(|(_, line)| line.contains(words))
            .unwrap_or_else(|| panic!("no {words} in:\n{shown}"));
        let before = line.split(words).next().unwrap();
        let column = before.chars().count() + 1;
        desk.tell(Msg::Mouse(MouseEvent {
            kind: MouseEventKind::Down(MouseButton::Left),
            column: u16::try_from(column).unwrap(),
            row: u16::try_from(row).unwrap(),
            modifiers: KeyModifiers::NONE,
        }));
    };
    let here = |desk: &TestUi| {
        let shown = desk.shown();
        let title = row(&shown, &["Where the space is"]).to_owned();
        title.split_whitespace().nth(4).unwrap().to_owned()
    };
    click_on(&mut desk, "quay-12.4-live");
    assert_eq!(here(&desk), "home/joss/Downloads", "{}", desk.shown());
    let shown = desk.shown();
    assert!(
        shown
            .lines()
            .any(|line| line.starts_with('▌') && line.contains("quay-12.4-live.iso")),
        "{shown}"
    );
    // A file has nothing to go into.
    click_on(&mut desk, "quay-12.4-live.iso 2");
    assert_eq!(here(&desk), "home/joss/Downloads");
    click_on(&mut desk, "home/joss/Downloads 3");
    assert_eq!(here(&desk), "home/joss");
    click_on(&mut desk, "home/joss 5");
    click_on(&mut desk, "pia 4");
    assert_eq!(here(&desk), "home", "it is in focus now");
    click_on(&mut desk, "pia 4");
    assert_eq!(here(&desk), "home/pia", "and then walked into");
    // A row of the list, and the wheel.
    click_on(&mut desk, "▸ .local");
    let focused = |desk: &TestUi| {
        desk.shown()
            .lines()
            .find(|line| line.starts_with('▌'))
            .unwrap()
            .to_owned()
    };
    assert!(focused(&desk).contains(".local"), "{}", desk.shown());
    desk.tell(Msg::Mouse(MouseEvent {
        kind: MouseEventKind::ScrollDown,
        column: 3,
        row: 30,
        modifiers: KeyModifiers::NONE,
    }));
    assert!(!focused(&desk).contains(".local"), "{}", desk.shown());
}
