//! Where the space is: into folders and out of them, what nobody used, a pile made of one.

use super::*;
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
