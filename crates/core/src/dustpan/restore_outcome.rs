//! What became of what was to be brought back.

/// What became of one thing that was to be brought back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RestoreOutcome {
    /// It is where it was, as it was.
    There,
    /// It is where it was, but for something that could not be given back.
    RestoredPartly(String),
    /// Something is there already, and was left as it is.
    Exists,
    /// The dustpan is damaged here.
    Damaged,
    /// The system doesn't let us.
    Denied(String),
    /// It could not be written.
    Failed(String),
}

impl RestoreOutcome {
    /// The word that the command line uses.
    pub fn name(&self) -> &'static str {
        match self {
            Self::There | Self::RestoredPartly(_) => "brought-back",
            Self::Exists => "exists",
            Self::Damaged => "damaged",
            Self::Denied(_) => "denied",
            Self::Failed(_) => "failed",
        }
    }

    /// Whether it is where it was again.
    pub fn is_back(&self) -> bool {
        matches!(self, Self::There | Self::RestoredPartly(_))
    }

    /// Why, in words; empty when there is nothing to say.
    pub fn reason(&self) -> &str {
        match self {
            Self::There => "",
            Self::RestoredPartly(what) | Self::Denied(what) | Self::Failed(what) => what,
            Self::Exists => "something is there already, and was left as it is",
            Self::Damaged => "the dustpan is damaged here",
        }
    }
}
