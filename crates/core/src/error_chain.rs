//! An error with everything that caused it.

use std::error::Error;

/// An error and its causes as one line: "cannot read the plan: permission denied".
pub fn error_chain(error: &dyn Error) -> String {
    let mut story = error.to_string();
    let mut cause = error.source();
    while let Some(error) = cause {
        story.push_str(": ");
        story.push_str(&error.to_string());
        cause = error.source();
    }
    story
}
