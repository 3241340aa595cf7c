//! An exclusion while it is being said.

use std::sync::Arc;

use jolly_core::decide::{Exclusion, ExclusionError, Reach, Scope, Spares, Spot};
use jolly_core::pile::Sum;
use jolly_core::rule::{AgeLimit, written_size};
use tui_input::Input;

/// What could be excluded from here.
#[derive(Clone, Debug)]
pub(in crate::tui) enum Offer {
    /// Exactly this, named by a word such as "this file".
    Ready(&'static str, Spares),
    /// What fits a pattern that is typed.
    Pattern(Input),
    /// Files larger than what is typed.
    Larger(Input),
    /// Files younger than what is typed.
    Younger(Input),
}

impl Offer {
    /// The word before it.
    pub(in crate::tui) fn word(&self) -> &'static str {
        match self {
            Self::Ready(word, _) => word,
            Self::Pattern(_) => "a pattern",
            Self::Larger(_) => "larger than",
            Self::Younger(_) => "younger than",
        }
    }

    /// What is typed.
    pub(in crate::tui) fn input(&self) -> Option<&Input> {
        match self {
            Self::Ready(..) => None,
            Self::Pattern(input) | Self::Larger(input) | Self::Younger(input) => Some(input),
        }
    }

    fn input_mut(&mut self) -> Option<&mut Input> {
        match self {
            Self::Ready(..) => None,
            Self::Pattern(input) | Self::Larger(input) | Self::Younger(input) => Some(input),
        }
    }

    /// What it spares, or what is wrong with what was typed.
    pub(in crate::tui) fn spares(&self) -> Result<Spares, String> {
        let in_words = |error: ExclusionError| error.to_string();
        match self {
            Self::Ready(_, spares) => Ok(spares.clone()),
            Self::Pattern(input) => Spares::pattern(input.value()).map_err(in_words),
            Self::Larger(input) => {
                let text = input.value().trim();
                let size = text.parse::<bytesize::ByteSize>().ok();
                let size = size.map(|size| size.as_u64());
                size.map(|bytes| Spares {
                    larger_than: Some(bytes),
                    ..Spares::default()
                })
                .ok_or_else(|| format!("\"{text}\" is not a size; such as 100 MiB or 2 GiB"))
            }
            Self::Younger(input) => {
                let limit = input.value().parse::<AgeLimit>();
                limit
                    .map_err(|error| error.to_string())
                    .map(|limit| Spares {
                        younger_than: Some(limit),
                        ..Spares::default()
                    })
            }
        }
    }
}

/// How many things a draft spares, once that is counted.
#[derive(Clone, Debug)]
pub(in crate::tui) enum Counted {
    Counting,
    Done {
        reach: Arc<Reach>,
        is_everything: bool,
        /// How much of it would go otherwise.
        held: Sum,
    },
    Wrong(String),
}

/// The parts of a draft.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Field {
    What,
    Where,
    Why,
}

impl Field {
    /// The next one, and from the last the first.
    pub(in crate::tui) fn next(self) -> Self {
        match self {
            Self::What => Self::Where,
            Self::Where => Self::Why,
            Self::Why => Self::What,
        }
    }
}

/// An exclusion while it is being said.
pub(in crate::tui) struct Draft {
    pub offers: Vec<Offer>,
    /// Which of them is meant.
    pub chosen: usize,
    /// Where keys go.
    pub field: Field,
    pub why: Input,
    pub scope: Scope,
    /// The exclusion that is changed by it, by position among all.
    pub changes: Option<usize>,
    pub counted: Counted,
    /// Whether it is to be said as soon as it is counted.
    pub is_said: bool,
    /// Whether it was told that this spares everything.
    pub is_warned: bool,
    pub ticket: u32,
}

impl Draft {
    /// A draft that offers these.
    pub(in crate::tui) fn new(offers: Vec<Offer>) -> Self {
        Self {
            offers,
            chosen: 0,
            field: Field::What,
            why: Input::default(),
            scope: Scope::Computer,
            changes: None,
            counted: Counted::Counting,
            is_said: false,
            is_warned: false,
            ticket: 0,
        }
    }

    /// A draft that changes what was said before.
    pub(in crate::tui) fn of(exclusion: &Exclusion, at: usize) -> Self {
        let spares = &exclusion.spares;
        let typed = |text: String| Input::new(text);
        let only = |spares: &Spares, other: Spares| *spares == other;
        let offer = match (&spares.spot, spares.larger_than, spares.younger_than) {
            (Some(Spot::Pattern(pattern)), None, None)
                if only(
                    spares,
                    Spares {
                        spot: spares.spot.clone(),
                        ..Spares::default()
                    },
                ) =>
            {
                Offer::Pattern(typed(pattern.clone()))
            }
            (None, Some(bytes), None) if spares.rule.is_none() && spares.account.is_none() => {
                Offer::Larger(typed(written_size(bytes)))
            }
            (None, None, Some(limit)) if spares.rule.is_none() && spares.account.is_none() => {
                Offer::Younger(typed(limit.to_string()))
            }
            _ => Offer::Ready("this", spares.clone()),
        };
        Self {
            why: Input::new(exclusion.why.clone()),
            scope: exclusion.scope,
            changes: Some(at),
            ..Self::new(vec![offer])
        }
    }

    /// What is meant.
    pub(in crate::tui) fn offer(&self) -> Option<&Offer> {
        self.offers.get(self.chosen)
    }

    /// Whether what is typed goes into what is meant; else it goes into why.
    pub(in crate::tui) fn is_typing_what(&self) -> bool {
        self.field == Field::What && self.offer().is_some_and(|offer| offer.input().is_some())
    }

    /// The line that is typed into.
    pub(in crate::tui) fn typed_into(&mut self) -> &mut Input {
        if self.is_typing_what()
            && let Some(input) = self.offers.get_mut(self.chosen).and_then(Offer::input_mut)
        {
            return input;
        }
        &mut self.why
    }
}
