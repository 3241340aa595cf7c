//! The rulebooks that come with the program.

use crate::target::Layout;

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
