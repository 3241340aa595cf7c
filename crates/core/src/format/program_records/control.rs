//! Paragraphs of fields (deb-control(5)), as dpkg keeps its packages and apt its marks.

/// One paragraph: its fields in their order, each with its first line.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Paragraph<'a>(Vec<(&'a str, &'a str)>);

impl<'a> Paragraph<'a> {
    /// A field's first line.
    pub(crate) fn get(&self, field: &str) -> Option<&'a str> {
        let mut fields = self.0.iter();
        fields
            .find(|(name, _)| name.eq_ignore_ascii_case(field))
            .map(|(_, value)| *value)
    }
}

/// The paragraphs of a text; lines that are no text are passed over.
pub(crate) fn paragraphs(bytes: &[u8]) -> impl Iterator<Item = Paragraph<'_>> {
    let mut lines = bytes.split(|byte| *byte == b'\n');
    std::iter::from_fn(move || {
        let mut paragraph = Paragraph::default();
        loop {
            let Some(line) = lines.next() else {
                return (!paragraph.0.is_empty()).then_some(paragraph);
            };
            if line.trim_ascii().is_empty() {
                if paragraph.0.is_empty() {
                    continue;
                }
                return Some(paragraph);
            }
            let is_more = line.starts_with(b" ") || line.starts_with(b"\t");
            let field = std::str::from_utf8(line).ok().filter(|_| !is_more);
            if let Some((name, value)) = field.and_then(|field| field.split_once(':')) {
                paragraph.0.push((name, value.trim()));
            }
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fields_are_read_by_paragraph() {
        let text = b"\nPackage: a\nStatus: install ok installed\nDescription: one\n more: no field\n\n\xff: x\n\nPackage: b";
        let read: Vec<_> = paragraphs(text).collect();
        assert_eq!(read.len(), 2);
        assert_eq!(read[0].get("package"), Some("a"));
        assert_eq!(read[0].get("more"), None);
        assert_eq!(read[1].get("Package"), Some("b"));
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_paragraphs(bytes in crate::fuzz::foreign(&[b"Package: a\nStatus: install ok installed\n more\n\nPackage: b\n"])) {
            for paragraph in paragraphs(&bytes) {
                proptest::prop_assert!(!paragraph.0.is_empty());
            }
        }
    }
}
