//! How a command ends, for people and for scripts.

use std::process::ExitCode;

use jolly_core::error_chain;

/// How a command ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Exit {
    /// As planned.
    Done,
    /// It failed.
    Failed,
    /// Bad input; nothing was touched.
    BadInput,
    /// Done, but some items stayed.
    SomeStayed,
    /// Somebody stopped it.
    Stopped,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Done => 0,
            Exit::Failed => 1,
            Exit::BadInput => 2,
            Exit::SomeStayed => 3,
            Exit::Stopped => 130,
        })
    }
}

/// A message for the person, with the way the command ends.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Refusal {
    pub exit: Exit,
    pub message: String,
}

impl Refusal {
    /// Bad input: what is wrong, and what to do.
    pub(crate) fn bad_input(error: &dyn std::error::Error, advice: &str) -> Self {
        Self {
            exit: Exit::BadInput,
            message: with_advice(error, advice),
        }
    }

    /// Bad input that no error of the core tells of: what is wrong, and what to do.
    pub(crate) fn bad_words(what: &str, advice: &str) -> Self {
        Self {
            exit: Exit::BadInput,
            message: format!("{what}\n  {advice}"),
        }
    }

    /// A failure: what happened, and what to do.
    pub(crate) fn failed(error: &dyn std::error::Error, advice: &str) -> Self {
        Self {
            exit: Exit::Failed,
            message: with_advice(error, advice),
        }
    }
}

fn with_advice(error: &dyn std::error::Error, advice: &str) -> String {
    let mut message = error_chain(error);
    if !advice.is_empty() {
        message.push_str("\n  ");
        message.push_str(advice);
    }
    message
}
