//! What can be asked for by a key.

/// What a key asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Action {
    Leave,
    Help,
    Onward,
    Back,
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Older,
    Younger,
    ClassOlder,
    ClassYounger,
    ExactAge,
    Toggle,
    Way,
    OnlyThis,
    Undo,
    Redo,
    Find,
    FindNext,
    Order,
    Enter,
    Into,
    OutOf,
    Lens,
    /// Where the space is.
    Space,
    /// Which files are there twice.
    Copies,
    /// Says that two folders are meant to be the same.
    MeantTheSame,
    /// Keep a site on all computers.
    KeepEverywhere,
    /// Keep every site that is worth it.
    KeepSuggested,
    TakeCookies,
    TakeHistory,
    /// Show one profile after the other, then all.
    Profile,
    /// Shows parts of the system among programs, or hides them.
    Parts,
    /// Shows what programs that are gone left, or the programs that are there.
    LeftBehind,
    /// Says to which program belongs what looks left behind.
    Belongs,
    /// Removes the program in focus by its package manager.
    Uninstall,
    /// Removes what nothing needs.
    Unneeded,
    Exclude,
    Exclusions,
    Decided,
    Starts,
    /// What starts by itself on the computer.
    Startup,
    /// Write over what is free, or a whole disk.
    Wipe,
    /// The chores that follow the sweep.
    Upkeep,
    /// The languages of a pile of translations.
    Languages,
    Explain,
    Delete,
    Close,
    Rehearse,
    Letter(char),
    EraseLetter,
    DropWord,
    Stop,
    Choose,
    Add,
    /// The sign of this number.
    Sign(usize),
    Rules,
    Pause,
    Retry,
    GetBack,
    /// Earlier runs.
    History,
    AskToClose,
    Save,
    /// Write a page or a picture.
    Export,
    /// A restore point is made before a sweep, or let go of after it.
    RestorePoint,
    /// Packs something, or takes it out of its archive; rescues what is in a home.
    Pack,
    LookAgain,
}
