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
    let own = piles.filter(|id| weigh.scan.survey_of(*id).is_some_and(Survey::has_twins));
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

#[test]
fn of_a_pair_one_sort_goes_and_a_copy_may_keep_its_name() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('T'));
    desk.key(KeyCode::Home);
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Down);
    assert!(desk.shown().contains("1  documents"), "{}", desk.shown());
    desk.key(KeyCode::Char(' '));
    let shown = desk.shown();
    assert!(
        shown.contains("documents   one side's go") && shown.contains("other files   both stay"),
        "{shown}"
    );
    desk.key(KeyCode::Char(' '));
    assert!(desk.shown().contains("nothing goes"), "{}", desk.shown());
    desk.key(KeyCode::Char('u'));
    desk.key(KeyCode::Esc);
    assert_eq!(taken(&desk), 1, "{}", desk.shown());
    // To be one more name of the one that stays is asked for first.
    let can_clone = desk.model.weigh.as_ref().unwrap().scan.target.can_clone;
    desk.key(KeyCode::Char('w'));
    if can_clone {
        assert!(
            desk.shown().contains("shares the bytes"),
            "{}",
            desk.shown()
        );
        desk.key(KeyCode::Char('w'));
    }
    assert!(
        desk.shown().contains("who changes one changes both"),
        "{}",
        desk.shown()
    );
    assert!(desk.shown().contains(if can_clone {
        "shares the bytes"
    } else {
        "set aside"
    }));
    desk.key(KeyCode::Char('w'));
    let shown = desk.shown();
    assert!(
        shown.contains("becomes one more name of the one that stays"),
        "{shown}"
    );
    desk.key(KeyCode::Tab);
    let shown = desk.shown();
    assert!(
        shown.contains("To share the bytes of those that stay: 1 item"),
        "{shown}"
    );
}

#[test]
fn the_worse_recording_goes_and_of_pictures_what_is_chosen() {
    let mut desk = TestUi::new().scanned();
    desk.key(KeyCode::Char('T'));
    desk.key(KeyCode::Char('o'));
    let shown = desk.shown();
    assert!(
        shown.contains("6 recordings in several versions"),
        "{shown}"
    );
    desk.key(KeyCode::Char(' '));
    assert!(
        desk.shown()
            .contains("1 version will go; the best one stays.")
    );
    // Its files: the one that goes, and the one that can't go, too.
    desk.key(KeyCode::Enter);
    let shown = desk.shown();
    let goes = row(&shown, &["MP3 128", "home/joss/Music"]);
    assert!(goes.contains('▒'), "{shown}");
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char(' '));
    assert!(
        desk.shown().contains("One version stays"),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Char('o'));
    desk.key(KeyCode::Char(' '));
    assert!(
        desk.shown().contains("Of pictures nothing is suggested"),
        "{}",
        desk.shown()
    );
    desk.key(KeyCode::Enter);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Down);
    desk.key(KeyCode::Char(' '));
    assert!(desk.shown().contains("2 files, "), "{}", desk.shown());
    desk.key(KeyCode::Esc);
    assert!(desk.shown().contains("2 versions, "), "{}", desk.shown());
    assert_eq!(taken(&desk), 2);
    // Another look at all knows them, and one choice less leaves one.
    desk.key(KeyCode::Char('l'));
    assert_eq!(taken(&desk), 2);
    desk.key(KeyCode::Char('T'));
    desk.key(KeyCode::Char('o'));
    assert!(desk.shown().contains("2 files, "), "{}", desk.shown());
    desk.key(KeyCode::Char(' '));
    desk.key(KeyCode::Esc);
    assert_eq!(taken(&desk), 1);
}
