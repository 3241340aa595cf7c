//! Extra places: folders of one computer that its technician adds as piles of their own, as rules
//! of that computer's own rulebook.

use toml_edit::{DocumentMut, Item};

use crate::computer::{Layout, Place, TargetPath};
use crate::format::DocumentError;
use crate::rule::{AgeBy, AgeLimit, AgeRule, Class, Rule, Rulebook, Within};
use crate::state::user_file::tables_of;

/// The id of every computer's own rulebook.
pub const OWN_BOOK: &str = "this-computer";

/// A folder that is to be a pile of its own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewPlace {
    /// The folder.
    pub folder: TargetPath,
    /// What it is, in plain words.
    pub title: String,
    /// What its removal means.
    pub class: Class,
    /// From which age on.
    pub limit: Option<AgeLimit>,
}

/// Why a folder can't be made a pile.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum PlaceError {
    #[error("the root of a computer is not a pile; name a folder below it")]
    Root,
    #[error("the folder's name isn't text, and a rulebook can't say it")]
    NotText,
    #[error(transparent)]
    Document(#[from] DocumentError),
}

/// Adds a place to a computer's own rulebook, and gives the new text with the id of its rule;
/// without a text a book is begun.
///
/// # Errors
/// When the folder can't be said in a rulebook, could only ever hit what is guarded, or the book
/// can't be read as it stands.
pub fn add_place(
    file: &str,
    text: Option<&str>,
    layout: Layout,
    place: &NewPlace,
) -> Result<(String, String), PlaceError> {
    if place.folder.is_root() {
        return Err(PlaceError::Root);
    }
    let folder = std::str::from_utf8(place.folder.as_bytes()).ok();
    let folder = folder.ok_or(PlaceError::NotText)?;
    let fresh = || {
        let book = Rulebook {
            id: OWN_BOOK.to_owned(),
            layout,
            about: "What was added for this computer alone.".to_owned(),
            rules: Vec::new(),
        };
        book.to_string()
    };
    let text = text.map_or_else(fresh, str::to_owned);
    let (book, _) = Rulebook::parse(file, &text)?;
    let id = free_id(&book, place.folder.name());
    let rule = Rule {
        id: id.clone(),
        title: place.title.clone(),
        section: None,
        class: place.class,
        about: "A folder that was added by hand.".to_owned(),
        after: "Whoever kept something there no longer finds it.".to_owned(),
        within: vec![Within {
            place: Place::Root,
            below: folder.split('/').map(globset::escape).collect(),
        }],
        take: Vec::new(),
        spare: Vec::new(),
        age: AgeRule {
            limit: place.limit,
            by: AgeBy::Arrived,
        },
        empty_folders: true,
        only_seen: None,
        needs: None,
        starts_taken: None,
        by: None,
        entries: None,
        values: None,
        records: None,
        detect: None,
        looks_like: Vec::new(),
        whole: false,
        larger_than: None,
        keep_newest: None,
        busy: Vec::new(),
        survey: None,
        examples: Vec::new(),
    };
    let only = Rulebook {
        rules: vec![rule],
        ..book.clone()
    };
    // It was just written as TOML, and the book just read as such.
    let written = only.to_string().parse::<DocumentMut>().unwrap_or_default();
    let mut document = text.parse::<DocumentMut>().unwrap_or_default();
    if let (Some(list), Some(new)) = (
        tables_of(&mut document, "rule"),
        written.get("rule").and_then(Item::as_array_of_tables),
    ) {
        for table in new {
            let mut table = table.clone();
            table.set_position(None);
            list.push(table);
        }
    }
    let text = document.to_string();
    Rulebook::parse(file, &text)?;
    Ok((text, format!("{}/{id}", book.id)))
}

/// Takes a rule out of a computer's own rulebook, by the second half of its id; all other text stays as
/// it is.
///
/// # Errors
/// When the book can't be read as it stands, or would not be one without it.
pub fn remove_place(file: &str, text: &str, id: &str) -> Result<String, DocumentError> {
    Rulebook::parse(file, text)?;
    let mut document = text.parse::<DocumentMut>().unwrap_or_default();
    if let Some(list) = tables_of(&mut document, "rule") {
        list.retain(|rule| rule.get("id").and_then(Item::as_str) != Some(id));
    }
    let text = document.to_string();
    Rulebook::parse(file, &text)?;
    Ok(text)
}

/// An id that the book doesn't have yet, from a folder's name.
fn free_id(book: &Rulebook, name: &[u8]) -> String {
    let plain = |byte: &u8| match byte {
        b'a'..=b'z' | b'0'..=b'9' => char::from(*byte),
        b'A'..=b'Z' => char::from(byte.to_ascii_lowercase()),
        _ => '-',
    };
    let name: String = name.iter().map(plain).collect();
    let name = match name.trim_matches('-') {
        "" => "place",
        name => name,
    };
    let is_free = |id: &String| book.rules.iter().all(|rule| rule.id != *id);
    let numbered = (2..).map(|number| format!("{name}-{number}"));
    let mut all = std::iter::once(name.to_owned()).chain(numbered);
    all.find(is_free).unwrap_or_default()
}
