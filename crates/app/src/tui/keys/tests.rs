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
