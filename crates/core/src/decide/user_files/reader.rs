//! Telling mistakes at their place.

use std::fmt::Display;
use std::ops::Range;

use serde::de::DeserializeOwned;
use toml::Spanned;

use crate::format::{DocumentError, Problem, is_harmless};
use crate::rule::AgeLimit;

/// Reads one document and gathers what is wrong with it.
pub(crate) struct Reader<'a> {
    file: &'a str,
    text: &'a str,
    problems: Vec<Problem>,
}

impl<'a> Reader<'a> {
    pub(crate) fn new(file: &'a str, text: &'a str) -> Self {
        Self {
            file,
            text,
            problems: Vec::new(),
        }
    }

    /// The document as it is written; `help` says which keys there are.
    pub(crate) fn document<T: DeserializeOwned>(&mut self, help: &str) -> Result<T, DocumentError> {
        toml::from_str(self.text).map_err(|error| {
            let span = error.span().unwrap_or(0..0);
            self.refuse(span, error.message(), "here", help);
            self.error()
        })
    }

    pub(crate) fn refuse(
        &mut self,
        span: Range<usize>,
        message: impl Into<String>,
        label: impl Into<String>,
        help: impl Into<String>,
    ) {
        self.problems.push(Problem {
            span,
            message: message.into(),
            label: label.into(),
            help: help.into(),
        });
    }

    /// A value that is written as text, or what is wrong with it.
    pub(crate) fn value<T, E: Display>(
        &mut self,
        written: &Spanned<String>,
        read: impl FnOnce(&str) -> Result<T, E>,
        help: &str,
    ) -> Option<T> {
        match read(written.get_ref()) {
            Ok(value) => Some(value),
            Err(error) => {
                self.refuse(written.span(), error.to_string(), "this text", help);
                None
            }
        }
    }

    /// An age limit.
    pub(crate) fn age(&mut self, written: &Spanned<String>) -> Option<AgeLimit> {
        let read = |text: &str| text.parse::<AgeLimit>();
        self.value(written, read, "such as \"45 days\" or \"3 months\"")
    }

    /// A text that is shown: it must not be able to break a line or a terminal.
    pub(crate) fn line(&mut self, written: Spanned<String>) -> String {
        if !written.get_ref().chars().all(is_harmless) {
            let message = "it holds a line break or another control character";
            let help = "say it in one line of plain text";
            self.refuse(written.span(), message, "this text", help);
        }
        written.into_inner()
    }

    /// The line of a place, counted from 1.
    pub(crate) fn line_of(&self, at: usize) -> usize {
        let before = self.text.bytes().take(at);
        before.filter(|byte| *byte == b'\n').count() + 1
    }

    fn error(&mut self) -> DocumentError {
        DocumentError {
            file: self.file.to_owned(),
            text: self.text.to_owned(),
            problems: std::mem::take(&mut self.problems),
        }
    }

    /// What was read, unless anything was wrong.
    pub(crate) fn finish<T>(mut self, read: T) -> Result<T, DocumentError> {
        if self.problems.is_empty() {
            Ok(read)
        } else {
            Err(self.error())
        }
    }
}
