//! The rulebooks that come with the program.

use crate::target::Layout;

/// The built-in book for a layout: its file's name and text.
pub fn builtin(layout: Layout) -> (String, String) {
    match layout {
        Layout::Linux => {
            let text = include_str!("../../../../rulebooks/linux.toml");
            ("rulebooks/linux.toml".to_owned(), text.to_owned())
        }
    }
}
