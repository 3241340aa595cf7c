//! Recognisers by name: what a rule's `detect` can ask for.

use serde::{Deserialize, Serialize};

/// A recogniser for what no pattern can say.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Detect {
    /// A trash of the layout: contents, original places, dates.
    Trash,
    /// A preview whose picture is gone.
    ThumbnailWithoutPicture,
    /// What lies below a folder that bears a cache tag.
    CacheTagged,
    /// A link that leads nowhere.
    BrokenLink,
    /// What starts a program that is gone, and settings that can't be read.
    BrokenLauncher,
    /// The home of an account that nobody uses any more.
    OldAccount,
    /// A translation into a language that isn't used on the target.
    LanguageNotUsed,
    /// An image of a package that a newer one has replaced.
    ReplacedRevision,
    /// A package of a build tool's local repository that came from a server.
    FetchedPackage,
    /// A document whose printing has ended.
    PrintJobDone,
    /// An archive beside the folder that it was unpacked to.
    UnpackedArchive,
    /// An entry of a list, or a link among those to documents opened last, of a document that is gone.
    DocumentGone,
    /// A key or value of a registry all of whose files are gone.
    ReferenceGone,
}

impl Detect {
    /// Every recogniser.
    pub const ALL: [Self; 13] = [
        Self::Trash,
        Self::ThumbnailWithoutPicture,
        Self::CacheTagged,
        Self::BrokenLink,
        Self::BrokenLauncher,
        Self::OldAccount,
        Self::LanguageNotUsed,
        Self::ReplacedRevision,
        Self::FetchedPackage,
        Self::PrintJobDone,
        Self::UnpackedArchive,
        Self::DocumentGone,
        Self::ReferenceGone,
    ];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Trash => "trash",
            Self::ThumbnailWithoutPicture => "thumbnail-without-picture",
            Self::CacheTagged => "cache-tagged",
            Self::BrokenLink => "broken-link",
            Self::BrokenLauncher => "broken-launcher",
            Self::OldAccount => "old-account",
            Self::LanguageNotUsed => "language-not-used",
            Self::ReplacedRevision => "replaced-revision",
            Self::FetchedPackage => "fetched-package",
            Self::PrintJobDone => "print-job-done",
            Self::UnpackedArchive => "unpacked-archive",
            Self::DocumentGone => "document-gone",
            Self::ReferenceGone => "reference-gone",
        }
    }

    /// What it looks for, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Trash => "what was thrown away, by the trash's own notes",
            Self::ThumbnailWithoutPicture => "previews whose picture is gone",
            Self::CacheTagged => "folders tagged as a cache",
            Self::BrokenLink => "links that lead nowhere",
            Self::BrokenLauncher => "what starts a program that is gone, or can't be read",
            Self::OldAccount => "homes that nobody uses any more",
            Self::LanguageNotUsed => "languages that aren't set here",
            Self::ReplacedRevision => "packages that a newer revision has replaced",
            Self::FetchedPackage => {
                "packages that a server still has, by the repository's own marks"
            }
            Self::PrintJobDone => {
                "documents whose printing has ended, by the printer service's notes"
            }
            Self::UnpackedArchive => "archives whose unpacked folder lies beside them",
            Self::DocumentGone => "entries and links whose document is gone",
            Self::ReferenceGone => "keys and values that name files, all of which are gone",
        }
    }

    /// The recogniser of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|detect| detect.name() == name)
    }

    /// Whether it narrows what the patterns fit by looking inside or around, so that names alone
    /// don't decide.
    pub fn looks_inside(self) -> bool {
        self != Self::Trash
    }
}
