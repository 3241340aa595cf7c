//! The first line of a preview or a plan: of which computer, since when, by which rules.

use jiff::Timestamp;
use jolly_disk::FileKey;
use serde::{Deserialize, Serialize};

use crate::computer::Layout;
use crate::pile::Sum;
use crate::plan::{Items, Manifest, TargetMark};

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Header {
    format: String,
    version: u32,
    target: HeaderTarget,
    now: Timestamp,
    rules: String,
    totals: HeaderSum,
    folders: HeaderSum,
    /// What lists give back beside what their entries do, in bytes.
    #[serde(default, skip_serializing_if = "is_nothing")]
    lists: i64,
    #[serde(default)]
    partial: bool,
    /// Whether some of it was found by a survey, which has to find it again.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    surveyed: bool,
    boot: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct HeaderTarget {
    root: String,
    layout: Layout,
    label: String,
    identity: String,
    device: u64,
    inode: u64,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct HeaderSum {
    items: u64,
    bytes: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_nothing(bytes: &i64) -> bool {
    *bytes == 0
}

impl Header {
    /// What a manifest says of itself, in a file of this format.
    pub(crate) fn of(manifest: &Manifest, (format, version): (&str, u32)) -> Self {
        let sum = |sum: Sum| HeaderSum {
            items: sum.items,
            bytes: sum.bytes,
        };
        Self {
            format: format.to_owned(),
            version,
            target: HeaderTarget {
                root: manifest.target.root.clone(),
                layout: manifest.target.layout,
                label: manifest.target.label.clone(),
                identity: manifest.target.identity.clone(),
                device: manifest.target.key.device,
                inode: manifest.target.key.inode,
            },
            now: manifest.now,
            rules: manifest.rules.clone(),
            totals: sum(manifest.takes),
            folders: sum(manifest.folders),
            lists: manifest.lists,
            partial: manifest.is_partial,
            surveyed: manifest.is_surveyed,
            boot: manifest.boot.clone(),
        }
    }

    /// Whether it is of this format and version.
    pub(crate) fn is_of(&self, (format, version): (&str, u32)) -> bool {
        self.format == format && self.version == version
    }

    /// The manifest of which these are the items.
    pub(crate) fn into_manifest(self, items: Items) -> Manifest {
        let sum = |sum: HeaderSum| Sum {
            items: sum.items,
            bytes: sum.bytes,
        };
        Manifest {
            target: TargetMark {
                root: self.target.root,
                key: FileKey {
                    device: self.target.device,
                    inode: self.target.inode,
                },
                identity: self.target.identity,
                layout: self.target.layout,
                label: self.target.label,
            },
            now: self.now,
            rules: self.rules,
            items,
            takes: sum(self.totals),
            folders: sum(self.folders),
            lists: self.lists,
            is_partial: self.partial,
            is_surveyed: self.surveyed,
            boot: self.boot,
        }
    }
}
