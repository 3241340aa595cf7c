//! The rulebooks that come with the program.

use crate::computer::Layout;

/// The built-in book for a layout: its file's name and text.
pub fn builtin(layout: Layout) -> (String, String) {
    let (name, text) = match layout {
        Layout::Linux => (
            "rulebooks/linux.toml",
            include_str!("../../../../rulebooks/linux.toml"),
        ),
        Layout::Windows => (
            "rulebooks/windows.toml",
            include_str!("../../../../rulebooks/windows.toml"),
        ),
        Layout::Macos => (
            "rulebooks/macos.toml",
            include_str!("../../../../rulebooks/macos.toml"),
        ),
    };
    (name.to_owned(), text.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rule::{Detect, RuleSet};

    #[test]
    fn no_built_in_pattern_has_to_be_held_against_whole_paths() {
        for layout in [Layout::Linux, Layout::Windows, Layout::Macos] {
            let rules = RuleSet::compile(&[builtin(layout)]).unwrap();
            for (_, rule) in rules.iter() {
                let is_trash = rule.rule.detect == Some(Detect::Trash);
                assert!(is_trash || !rule.is_by_path(), "{}", rule.id);
            }
        }
    }
}
