//! What kinds of things can go.

/// What may be on a list of what goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum EntryKind {
    /// A regular file.
    File,
    /// A symbolic link itself.
    Link,
    /// A folder that is empty once the rest of the manifest is gone.
    Folder,
    /// An entry of a list, which stays as a file.
    ListEntry,
}
