//! Where an item is, as a listing prints it.

use serde::Serialize;

use crate::computer::{TargetPath, WrittenPath};
use crate::format::Printable;
use crate::source::holder::address::address_of;

/// A path, and what in the file of that path is meant.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WrittenPlace {
    /// The file.
    #[serde(flatten)]
    pub path: WrittenPath,
    /// Of an entry of that file, the address of its document.
    #[serde(rename = "in", skip_serializing_if = "Option::is_none")]
    pub within: Option<String>,
}

/// A path for people; of an entry, its list and the address of its document.
pub fn shown_place(path: &TargetPath, is_entry: bool) -> String {
    let list = is_entry.then(|| path.parent()).flatten();
    match list {
        None => path.to_string(),
        Some(list) => {
            let address = address_of(path.name());
            format!("{list}, {}", Printable(address.as_bytes()))
        }
    }
}

impl WrittenPlace {
    /// The place of an item; of an entry, the list is the path.
    pub fn of(path: &TargetPath, is_entry: bool) -> Self {
        let list = is_entry.then(|| path.parent()).flatten();
        match list {
            None => Self {
                path: WrittenPath::from(path),
                within: None,
            },
            Some(list) => Self {
                path: WrittenPath::from(&list),
                within: Some(address_of(path.name())),
            },
        }
    }
}
