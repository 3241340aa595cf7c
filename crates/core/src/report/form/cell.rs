//! What may stand in a cell of a table that a spreadsheet opens.

use crate::format::is_harmless;

/// Text for a cell, exact: whatever could break a line, steer a terminal or be taken for a formula
/// stands percent-encoded (RFC 3986), and so does the percent sign itself. Decoded, it is the bytes
/// again.
pub(in crate::report) fn cell(bytes: &[u8]) -> String {
    let mut text = String::with_capacity(bytes.len());
    let mut begins = true;
    for chunk in bytes.utf8_chunks() {
        for letter in chunk.valid().chars() {
            let is_formula = begins && begins_formula(letter);
            // Some programs split at other signs than commas, or strip what stands before.
            begins = matches!(letter, ',' | ';' | '"' | '\'' | '|')
                || (begins && letter.is_whitespace());
            if letter == '%' || is_formula || !is_harmless(letter) {
                let mut encoded = [0; 4];
                encode(letter.encode_utf8(&mut encoded).as_bytes(), &mut text);
            } else {
                text.push(letter);
            }
        }
        if !chunk.invalid().is_empty() {
            begins = false;
            encode(chunk.invalid(), &mut text);
        }
    }
    text
}

/// What spreadsheets take for the begin of a formula, its wide forms included.
fn begins_formula(letter: char) -> bool {
    matches!(letter, '=' | '+' | '-' | '@' | '＝' | '＋' | '－' | '＠')
}

fn encode(bytes: &[u8], text: &mut String) {
    const DIGITS: [char; 16] = [
        '0', '1', '2', '3', '4', '5', '6', '7', '8', '9', 'A', 'B', 'C', 'D', 'E', 'F',
    ];
    for byte in bytes {
        let digit = |half: u8| DIGITS.get(usize::from(half)).copied().unwrap_or_default();
        text.extend(['%', digit(byte >> 4), digit(byte & 15)]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn decode(text: &str) -> Vec<u8> {
        let mut rest = text.as_bytes();
        let mut bytes = Vec::new();
        while let Some((first, more)) = rest.split_first() {
            rest = more;
            if *first == b'%' {
                let (digits, more) = more.split_at(2);
                let digits = std::str::from_utf8(digits).unwrap();
                bytes.push(u8::from_str_radix(digits, 16).unwrap());
                rest = more;
            } else {
                bytes.push(*first);
            }
        }
        bytes
    }

    #[test]
    fn what_a_spreadsheet_would_run_or_split_is_encoded_and_plain_names_stay_as_they_are() {
        for (bytes, shown) in [
            (&b"tmp/a b, c.txt"[..], "tmp/a b, c.txt"),
            ("tmp/kühl-1.log".as_bytes(), "tmp/kühl-1.log"),
            (b"=1+1", "%3D1+1"),
            (b" \t=1", " %09%3D1"),
            (b"a;-1", "a;%2D1"),
            (b"a\"@b", "a\"%40b"),
            ("＋1".as_bytes(), "%EF%BC%8B1"),
            (b"a\nb\x1b[2J\xff", "a%0Ab%1B[2J%FF"),
            (b"100%", "100%25"),
        ] {
            assert_eq!(cell(bytes), shown);
        }
    }

    proptest! {
        #[test]
        fn prop_a_cell_is_exact_and_harmless(
            bytes in proptest::collection::vec(
                prop_oneof![any::<u8>(), proptest::sample::select(&b"=+-@,;\"\n\r\t %"[..])], 0..40)
        ) {
            let text = cell(&bytes);
            prop_assert_eq!(decode(&text), bytes);
            prop_assert!(text.chars().all(is_harmless));
            for part in text.split([',', ';', '"', '\'', '|']) {
                prop_assert!(!part.trim_start().starts_with(begins_formula), "{}", text);
            }
        }
    }
}
