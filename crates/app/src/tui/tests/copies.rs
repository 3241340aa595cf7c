//! What is there twice: which side of a pair goes, what is meant to be the same, and the pile that comes of it.

use jolly_core::rule::Survey;

use super::*;

/// The row of the pair that was sorted out of the stick.
fn pair(desk: &mut TestUi) -> String {
    desk.key(KeyCode::Char('/'));
    desk.text("100regat home/pia");
    desk.key(KeyCode::Esc);
    row(&desk.shown(), &["home/pia/Pictures/regatta", "stick/DCIM"]).to_owned()
}

/// How many copies go.
fn taken(desk: &TestUi) -> u64 {
    let weigh = desk.model.weigh.as_ref().unwrap();
    let piles = weigh.decisions.shown(&weigh.scan);
    let own = piles.filter(|id| weigh.scan.survey_of(*id) == Some(Survey::Copies));
    own.map(|id| weigh.decisions.takes(id).items).sum()
}

#[test]
fn a_side_of_a_pair_is_chosen_changed_undone_and_becomes_a_pile() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('T'));
    let shown = desk.shown();
    assert!(
        shown.contains("The same file twice   11 pairs of folders"),
        "{shown}"
    );
    assert!(pair(&mut desk).contains(" 36 "));
    assert!(
        desk.shown()
            .contains("home/pia/Pictures/regatta had better stay")
    );
    desk.key(KeyCode::Char(' '));
    assert!(
        desk.shown().contains("36 files, 1.92 MiB to go"),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Char(' '));
    let shown = desk.shown();
    assert!(
        shown.contains("What both have goes from home/pia/Pictures/regatta"),
        "{shown}"
    );
    desk.key(KeyCode::Char(' '));
    assert!(desk.shown().contains("nothing goes"));
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Char('u'));
    assert!(
        desk.shown().contains("goes from home/joss/Downloads/stick"),
        "{}",
        desk.shown()
    );
    // Its files stand below it; enter folds them again.
    desk.key(KeyCode::Enter);
    assert!(
        desk.shown().contains("IMG_1201.JPG  =  "),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Esc);
    assert_eq!(taken(&desk), 36, "{}", desk.shown());
    assert!(desk.shown().contains("36 copies"), "{}", desk.shown());
    // It stands there as it was said, and what is taken back leaves no pile.
    desk.key(KeyCode::Char('T'));
    assert!(
        desk.shown().contains("36 files, 1.92 MiB to go"),
        "{}",
        desk.shown()
    );
    pair(&mut desk);
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Esc);
    assert_eq!(taken(&desk), 0);
    assert!(desk.shown().contains("No copies go."), "{}", desk.shown());
}

#[test]
fn what_is_meant_to_be_the_same_is_told_no_more() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('T'));
    desk.key(KeyCode::Char('/'));
    desk.text("safety");
    desk.key(KeyCode::Esc);
    for _ in 0..3 {
        desk.key(KeyCode::Char('M'));
    }
    assert!(
        desk.shown().contains("1 pair meant to be the same"),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Esc);
    // Another look knows it.
    desk.key(KeyCode::Char('l'));
    desk.key(KeyCode::Char('T'));
    let shown = desk.shown();
    assert!(shown.contains("10 pairs of folders, 0 groups"), "{shown}");
    assert!(!shown.contains("Documents/safety") && shown.contains("1 pair meant to be the same"));
}
