//! Where an item is, as a listing prints it.

use serde::Serialize;

use crate::computer::{TargetPath, WrittenPath};
use crate::format::Printable;
use crate::rule::ListFormat;
use crate::source::holder::address::{address_of, row_of, shown_key, shown_opener, site_of};

/// A path, and what in the file of that path is meant.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WrittenPlace {
    /// The file.
    #[serde(flatten)]
    pub path: WrittenPath,
    /// Of an entry of that file, the address of its document; of a row, its table and number; of a registry,
    /// the path of a key, and behind two backslashes the name of a value.
    #[serde(rename = "in", skip_serializing_if = "Option::is_none")]
    pub within: Option<String>,
    /// The site of a row.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub site: Option<String>,
}

/// A path for people; of an item of a holder, that and what is meant in it.
pub fn shown_place(path: &TargetPath, holder: Option<ListFormat>) -> String {
    match holder.zip(path.parent()) {
        None | Some((ListFormat::Snapshots, _)) => path.to_string(),
        Some((ListFormat::Xbel, list)) => {
            let address = address_of(path.name());
            format!("{list}, {}", Printable(address.as_bytes()))
        }
        Some((ListFormat::Rows, database)) => {
            format!("{database}, {}", Printable(path.name()))
        }
        Some((ListFormat::MimeApps, list)) => {
            format!("{list}, {}", shown_opener(path.name()))
        }
        Some((ListFormat::Registry, hive)) => {
            format!("{hive}, {}", shown_key(path.name()))
        }
    }
}

impl WrittenPlace {
    /// The place of an item; of one in a holder, that is the path.
    pub fn of(path: &TargetPath, holder: Option<ListFormat>) -> Self {
        // A restore point is a folder of its own.
        let holder = holder.filter(|format| *format != ListFormat::Snapshots);
        let Some((format, holder)) = holder.zip(path.parent()) else {
            return Self {
                path: WrittenPath::from(path),
                within: None,
                site: None,
            };
        };
        let name = path.name();
        Self {
            path: WrittenPath::from(&holder),
            within: Some(match format {
                ListFormat::Rows => row_of(name),
                ListFormat::Xbel
                | ListFormat::MimeApps
                | ListFormat::Registry
                | ListFormat::Snapshots => address_of(name),
            }),
            site: match format {
                ListFormat::Rows => site_of(name).map(str::to_owned),
                ListFormat::Xbel
                | ListFormat::MimeApps
                | ListFormat::Registry
                | ListFormat::Snapshots => None,
            },
        }
    }
}
