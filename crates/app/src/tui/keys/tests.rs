use super::*;

#[test]
fn no_key_means_two_things_at_one_place() {
    for context in Context::ALL {
        let mut seen = Vec::new();
        for (code, _) in at(context).flat_map(|row| row.keys) {
            assert!(!seen.contains(code), "{code:?} at {context:?}");
            seen.push(*code);
        }
    }
}

/// A letter that has been learnt at one place does no other thing at the next: but for the letters of
/// the word that is typed out at check, each has one meaning.
#[test]
fn a_letter_means_one_thing_everywhere() {
    let mut meanings: Vec<(char, Action)> = Vec::new();
    for context in Context::ALL {
        for (code, action) in at(context).flat_map(|row| row.keys) {
            let (KeyCode::Char(letter), false) = (code, matches!(action, Action::Letter(_))) else {
                continue;
            };
            match meanings.iter().find(|(known, _)| known == letter) {
                Some((_, known)) => assert_eq!(known, action, "{letter} at {context:?}"),
                None => meanings.push((*letter, *action)),
            }
        }
    }
    assert!(meanings.len() > 20, "{}", meanings.len());
}

/// Every view is left by the same key, and help is never further than another.
#[test]
fn the_way_out_is_the_same_everywhere() {
    use Context::{Ages, Arrive, Sweep, Word};
    for context in Context::ALL {
        let has = |wanted: KeyCode| {
            at(context)
                .flat_map(|row| row.keys)
                .any(|(code, _)| *code == wanted)
        };
        assert!(
            has(KeyCode::Esc) || matches!(context, Arrive | Ages),
            "{context:?}"
        );
        assert!(has(KeyCode::Char('?')) || context == Word, "{context:?}");
        assert!(
            has(KeyCode::Char('q')) || matches!(context, Sweep | Word),
            "{context:?}"
        );
    }
}
