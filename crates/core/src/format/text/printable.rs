//! Hostile text made harmless.

use std::fmt;

use unicode_width::UnicodeWidthChar as _;

/// Bytes shown so that no terminal, log line or table can be broken by them.
///
/// Control characters, escapes, characters that reorder or hide text, and bytes that aren't UTF-8
/// become visible `\u{…}` or `\x…` forms; a backslash is doubled so that the forms stay unambiguous.
#[derive(Clone, Copy, Debug)]
pub struct Printable<'a>(pub &'a [u8]);

impl fmt::Display for Printable<'_> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        use fmt::Write as _;
        // Whether something stands there that a mark can be drawn on.
        let mut has_base = false;
        for chunk in self.0.utf8_chunks() {
            for character in chunk.valid().chars() {
                let is_lone = is_mark(character) && !has_base;
                has_base = false;
                if character == '\\' {
                    out.write_str("\\\\")?;
                } else if is_harmless(character) && !is_lone {
                    out.write_char(character)?;
                    has_base = character != '/';
                } else {
                    write!(out, "\\u{{{:x}}}", u32::from(character))?;
                }
            }
            for byte in chunk.invalid() {
                write!(out, "\\x{byte:02x}")?;
                has_base = false;
            }
        }
        Ok(())
    }
}

/// Whether a character takes no room of its own, and is drawn on what stands before it.
fn is_mark(character: char) -> bool {
    character.width() == Some(0)
}

/// Whether a character is neither a control character nor one that reorders, joins or hides what
/// stands beside it, nor one that shows as nothing.
pub fn is_harmless(character: char) -> bool {
    let is_blank = character.is_whitespace() && character != ' ';
    !character.is_control()
        && !is_blank
        && !matches!(character,
            '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}'
            | '\u{180b}'..='\u{180f}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{2800}' | '\u{3164}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}'
            | '\u{ffa0}' | '\u{fff0}'..='\u{fffb}' | '\u{1bca0}'..='\u{1bca3}' | '\u{1d173}'..='\u{1d17a}'
            | '\u{e0000}'..='\u{e0fff}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_could_break_a_line_becomes_visible() {
        let shown = Printable(b"a\nb\x1b[2Jc\xffd\\e\xe2\x80\xaef\xc2\x9bg").to_string();
        assert_eq!(shown, r"a\u{a}b\u{1b}[2Jc\xffd\\e\u{202e}f\u{9b}g");
        for nothing in [
            "\u{301}",
            "a/\u{301}",
            "\u{3164}",
            "\u{2800}",
            "\u{a0}",
            "\u{115f}",
        ] {
            assert!(
                Printable(nothing.as_bytes()).to_string().contains("\\u{"),
                "{nothing:?}"
            );
        }
        assert_eq!(Printable("e\u{301}".as_bytes()).to_string(), "e\u{301}");
        assert_eq!(
            Printable("kühl · 42 €".as_bytes()).to_string(),
            "kühl · 42 €"
        );
    }
}
