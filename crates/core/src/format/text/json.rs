//! JSON that no terminal can be broken by: what could is written as `\\u` escapes (RFC 8259), and reads back
//! as it was.

use std::fmt::Write as _;
use std::io::{self, Write};

use serde::Serialize;
use serde_json::ser::{CompactFormatter, Formatter, Serializer};

use crate::format::is_harmless;

/// Writes a value on one line, without a line break behind it.
///
/// # Errors
/// What the writer says, or the value.
pub fn write_json(out: impl Write, value: &impl Serialize) -> serde_json::Result<()> {
    value.serialize(&mut Serializer::with_formatter(out, Harmless))
}

/// A JSON text of several lines in which nothing does harm: in a string alone letters can that do.
pub(crate) fn harmless_json(text: &str) -> String {
    let mut units = [0; 2];
    let mut written = String::with_capacity(text.len());
    for letter in text.chars() {
        if letter == '\n' || is_harmless(letter) {
            written.push(letter);
            continue;
        }
        for unit in letter.encode_utf16(&mut units) {
            // A string takes everything.
            let _taken = write!(written, "\\u{unit:04x}").is_ok();
        }
    }
    written
}

/// A value on one line.
///
/// # Errors
/// When the value can't be written as JSON.
pub fn json_text(value: &impl Serialize) -> serde_json::Result<String> {
    let mut bytes = Vec::new();
    write_json(&mut bytes, value)?;
    String::from_utf8(bytes).map_err(|error| serde::ser::Error::custom(error.to_string()))
}

/// The compact form, but for letters that do harm.
struct Harmless;

impl Formatter for Harmless {
    fn write_string_fragment<W: Write + ?Sized>(
        &mut self,
        out: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        let is_plain = |byte: u8| byte.is_ascii() && byte != 0x7f;
        if fragment.bytes().all(is_plain) {
            return CompactFormatter.write_string_fragment(out, fragment);
        }
        let mut units = [0; 2];
        for letter in fragment.chars() {
            if is_harmless(letter) {
                out.write_all(letter.encode_utf8(&mut [0; 4]).as_bytes())?;
                continue;
            }
            for unit in letter.encode_utf16(&mut units) {
                write!(out, "\\u{unit:04x}")?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn prop_no_text_is_written_with_a_letter_that_does_harm_and_all_read_back(
            text in "(\\PC|[\u{0}-\u{9f}\u{200b}-\u{202e}\u{e0001}]){0,30}",
        ) {
            let written = json_text(&text).unwrap();
            prop_assert!(written.chars().all(is_harmless), "{written:?}");
            prop_assert_eq!(serde_json::from_str::<String>(&written).unwrap(), text);
        }
    }
}
