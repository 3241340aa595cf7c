//! Wiping and chores on a computer that stands in for one, and translations chosen by language.

use super::*;

#[test]
fn beside_a_stand_in_nothing_of_the_real_machine_is_offered() {
    let mut desk = TestUi::new().scanned();
    // Arrive is where the computer is looked at.
    while desk.model.station != Station::Arrive {
        desk.key(KeyCode::BackTab);
    }
    desk.key(KeyCode::Char('F'));
    let shown = desk.shown();
    assert!(
        shown.contains("a folder stands in for its volume"),
        "{shown}"
    );
    assert!(
        !shown.contains("all of /dev/") && !shown.contains("start it"),
        "{shown}"
    );
    for letter in ['w', 'i', 'p', 'e'] {
        desk.key(KeyCode::Char(letter));
    }
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown().contains("can't be written over"),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Esc);
    assert!(desk.model.overlay.is_none());
    while desk.model.station != Station::Check {
        desk.key(KeyCode::Tab);
    }
    desk.key(KeyCode::Char('i'));
    assert!(desk.model.overlay.is_none());
    assert!(
        desk.shown()
            .contains("Chores are for the system that runs here")
    );
}
