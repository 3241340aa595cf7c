//! Bookmarks as the HTML file that every browser reads in, whoever made it (the "bookmark file format" that browsers
//! have exchanged since 1996; there is no standard but its use).

use std::fmt::Write as _;

/// One thing in a folder of bookmarks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Bookmark {
    /// A folder, with what is in it.
    Folder {
        /// What it is called.
        name: String,
        /// What is in it, in order.
        within: Vec<Bookmark>,
    },
    /// A page.
    Page {
        /// What it is called.
        name: String,
        /// Where it is.
        address: String,
        /// When it was bookmarked, seconds since 1970.
        added: Option<i64>,
    },
}

/// Folders within folders, beyond which nothing is written: real ones have a dozen.
const DEEPEST: usize = 100;

/// The file of some bookmarks.
pub(crate) fn bookmark_file(bookmarks: &[Bookmark]) -> Vec<u8> {
    let mut text = String::from(
        "<!DOCTYPE NETSCAPE-Bookmark-file-1>\n\
        <META HTTP-EQUIV=\"Content-Type\" CONTENT=\"text/html; charset=UTF-8\">\n\
        <TITLE>Bookmarks</TITLE>\n<H1>Bookmarks</H1>\n<DL><p>\n",
    );
    for bookmark in bookmarks {
        write_one(&mut text, bookmark, 1);
    }
    text.push_str("</DL><p>\n");
    text.into_bytes()
}

fn write_one(text: &mut String, bookmark: &Bookmark, depth: usize) {
    let indent = "    ".repeat(depth);
    match bookmark {
        Bookmark::Page {
            name,
            address,
            added,
        } => {
            let added = added.map_or_else(String::new, |at| format!(" ADD_DATE=\"{at}\""));
            let (name, address) = (escaped(name), escaped(address));
            // Writing into a string can't fail.
            _ = writeln!(text, "{indent}<DT><A HREF=\"{address}\"{added}>{name}</A>");
        }
        Bookmark::Folder { name, within } => {
            _ = writeln!(
                text,
                "{indent}<DT><H3>{}</H3>\n{indent}<DL><p>",
                escaped(name)
            );
            if depth < DEEPEST {
                for bookmark in within {
                    write_one(text, bookmark, depth + 1);
                }
            }
            _ = writeln!(text, "{indent}</DL><p>");
        }
    }
}

fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' => escaped.push_str("&quot;"),
            '\n' | '\r' => escaped.push(' '),
            letter => escaped.push(letter),
        }
    }
    escaped
}

/// Microseconds between the beginning of 1601 and that of 1970.
const FROM_1601: i64 = 11_644_473_600_000_000;

/// The bookmarks of a profile of the Chromium family, from the JSON that it keeps them in.
///
/// # Errors
/// When it is no JSON. What is of another shape in it is passed by.
pub(crate) fn read_chromium(json: &[u8]) -> Result<Vec<Bookmark>, serde_json::Error> {
    let json: serde_json::Value = serde_json::from_slice(json)?;
    let roots = json.get("roots").and_then(serde_json::Value::as_object);
    let roots = roots.into_iter().flat_map(serde_json::Map::values);
    Ok(roots.filter_map(read_one).collect())
}

/// One of them; the JSON was read, so that it is no deeper than its reader allows.
fn read_one(json: &serde_json::Value) -> Option<Bookmark> {
    let text = |key: &str| json.get(key).and_then(serde_json::Value::as_str);
    let name = text("name").unwrap_or_default().to_owned();
    if let Some(address) = text("url") {
        let added = text("date_added").and_then(|at| at.parse::<i64>().ok());
        let since_1970 = |at: i64| at.checked_sub(FROM_1601).map(|at| at / 1_000_000);
        return Some(Bookmark::Page {
            name,
            address: address.to_owned(),
            added: added.and_then(since_1970),
        });
    }
    let within = json.get("children")?.as_array()?;
    let within: Vec<Bookmark> = within.iter().filter_map(read_one).collect();
    Some(Bookmark::Folder { name, within })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fuzz::{config, foreign};

    const JSON: &str = r#"{"roots":{"bookmark_bar":{"name":"Bar","type":"folder","children":[
        {"name":"Tides & <times>","url":"https://tides.example/?a=1&b=\"2\"","date_added":"13300000000000000"},
        {"name":"Empty","children":[]}]},"synced":"odd"}}"#;

    #[test]
    fn they_are_written_with_their_folders_and_nothing_in_them_is_markup() {
        let read = read_chromium(JSON.as_bytes()).unwrap();
        let text = String::from_utf8(bookmark_file(&read)).unwrap();
        let page = "        <DT><A HREF=\"https://tides.example/?a=1&amp;b=&quot;2&quot;\" ADD_DATE=\"1655526400\">\
            Tides &amp; &lt;times&gt;</A>\n";
        assert!(text.contains(page), "{text}");
        assert!(text.contains("    <DT><H3>Bar</H3>\n    <DL><p>\n"));
        assert_eq!(text.matches("<DL>").count(), text.matches("</DL>").count());
    }

    /// Whatever the JSON says, every page in it is a line of its own, and the lists are closed.
    #[test]
    fn fuzz_bookmarks() {
        let mut runner = proptest::test_runner::TestRunner::new(config());
        let ran = runner.run(&foreign(&[JSON.as_bytes()]), |bytes| {
            if let Ok(read) = read_chromium(&bytes) {
                let text = String::from_utf8(bookmark_file(&read)).unwrap();
                let lists = (text.matches("<DL>").count(), text.matches("</DL>").count());
                proptest::prop_assert_eq!(lists.0, lists.1);
            }
            Ok(())
        });
        ran.unwrap();
    }
}
