//! Mistakes in a rulebook or another text that somebody wrote, shown where they are.

use std::fmt;
use std::ops::Range;

use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};

/// One mistake.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// What is wrong.
    pub message: String,
    /// Where, in bytes of the text.
    pub span: Range<usize>,
    /// A word at the place.
    pub label: String,
    /// What would be right.
    pub help: String,
}

/// A text that somebody wrote and that can't be used, with every mistake in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DocumentError {
    /// The file's name as the person knows it.
    pub file: String,
    /// The file's text.
    pub text: String,
    /// At least one.
    pub problems: Vec<Problem>,
}

impl std::error::Error for DocumentError {}

impl fmt::Display for DocumentError {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, problem) in self.problems.iter().enumerate() {
            // A letter is shown whole.
            let start = problem.span.start.min(self.text.len());
            let start = self.text.floor_char_boundary(start);
            let end = problem.span.end.clamp(start, self.text.len());
            let end = self.text.ceil_char_boundary(end);
            let snippet = Snippet::source(&self.text).path(&self.file).annotation(
                AnnotationKind::Primary
                    .span(start..end)
                    .label(&problem.label),
            );
            let report = [Level::ERROR
                .primary_title(&problem.message)
                .element(snippet)
                .element(Level::HELP.message(&problem.help))];
            if number > 0 {
                writeln!(out)?;
            }
            write!(out, "{}", Renderer::plain().render(&report))?;
        }
        Ok(())
    }
}
