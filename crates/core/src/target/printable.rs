//! Hostile text made harmless.

use std::fmt;

/// Bytes shown so that no terminal, log line or table can be broken by them.
///
/// Control characters, escapes, characters that reorder or hide text, and bytes that aren't UTF-8
/// become visible `\u{…}` or `\x…` forms; a backslash is doubled so that the forms stay unambiguous.
#[derive(Clone, Copy, Debug)]
pub struct Printable<'a>(pub &'a [u8]);

impl fmt::Display for Printable<'_> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        use fmt::Write as _;
        for chunk in self.0.utf8_chunks() {
            for character in chunk.valid().chars() {
                if character == '\\' {
                    out.write_str("\\\\")?;
                } else if is_harmless(character) {
                    out.write_char(character)?;
                } else {
                    write!(out, "\\u{{{:x}}}", u32::from(character))?;
                }
            }
            for byte in chunk.invalid() {
                write!(out, "\\x{byte:02x}")?;
            }
        }
        Ok(())
    }
}

/// Whether a character is neither a control character nor one that reorders, joins or hides what
/// stands beside it.
pub fn is_harmless(character: char) -> bool {
    !character.is_control()
        && !matches!(character,
            '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e0fff}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_could_break_a_line_becomes_visible() {
        let shown = Printable(b"a\nb\x1b[2Jc\xffd\\e\xe2\x80\xaef\xc2\x9bg").to_string();
        assert_eq!(shown, r"a\u{a}b\u{1b}[2Jc\xffd\\e\u{202e}f\u{9b}g");
        assert_eq!(
            Printable("kühl · 42 €".as_bytes()).to_string(),
            "kühl · 42 €"
        );
    }
}
