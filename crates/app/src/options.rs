//! What the command line and the interface can be asked for alike.

use std::path::PathBuf;

use clap::Args;
use clap_complete::engine::ArgValueCandidates;

use crate::cli::complete;

/// How the interface looks.
#[derive(Args, Clone, Debug, Default)]
pub(crate) struct Looks {
    /// Draw with letters and signs that every terminal has
    #[arg(long, global = true)]
    pub ascii: bool,
    /// Draw dark on light
    #[arg(long, global = true)]
    pub light: bool,
    /// Draw nothing: words in reading order, for a screen reader
    #[arg(long, global = true)]
    pub plain: bool,
}

/// How much is told.
#[derive(Args, Clone, Copy, Debug, Default)]
pub(crate) struct Talk {
    /// Say nothing but results and errors
    #[arg(long, short, global = true, conflicts_with = "verbose")]
    pub quiet: bool,
    /// Say more: every place that was not read, every reason, the biggest things
    #[arg(long, short, global = true)]
    pub verbose: bool,
    /// Show no progress
    #[arg(long, global = true)]
    pub no_progress: bool,
}

/// What scan, preview, sweep and the interface share.
#[derive(Args, Clone, Debug, Default)]
pub(crate) struct SharedOptions {
    /// The root that is worked on [default: /]
    #[arg(long, global = true, value_name = "DIR")]
    pub target: Option<PathBuf>,
    /// The family of system on it: linux, windows, macos [default: recognised]
    #[arg(long, global = true, add = ArgValueCandidates::new(complete::layouts))]
    pub layout: Option<String>,
    /// A rulebook to put before the built-in one
    #[arg(long, global = true, value_name = "FILE")]
    pub rulebook: Vec<PathBuf>,
    /// Only this rule; one that is turned off for the computer has to be named twice
    #[arg(long, global = true, value_name = "RULE", value_delimiter = ',', add = ArgValueCandidates::new(complete::rules))]
    pub only: Vec<String>,
    /// Not this rule
    #[arg(long, global = true, value_name = "RULE", value_delimiter = ',', add = ArgValueCandidates::new(complete::rules))]
    pub skip: Vec<String>,
    /// Only this class: spent, regrows, felt, ask
    #[arg(long, global = true, value_delimiter = ',', add = ArgValueCandidates::new(complete::classes))]
    pub class: Vec<String>,
    /// Only this account
    #[arg(long, global = true, value_name = "NAME", value_delimiter = ',', add = ArgValueCandidates::new(complete::accounts))]
    pub account: Vec<String>,
    /// Raise every age limit to at least this
    #[arg(long, global = true, value_name = "AGE", allow_hyphen_values = true)]
    pub older_than: Option<String>,
    /// Spare what this pattern matches; several stand apart by commas outside of braces and brackets
    #[arg(long, global = true, value_name = "GLOB")]
    pub exclude: Vec<String>,
    /// Keep what this site stored and its visits, such as example.com; several stand apart by commas
    #[arg(long, global = true, value_name = "DOMAIN", value_delimiter = ',')]
    pub keep_site: Vec<String>,
    /// Take also piles that start left
    #[arg(long, global = true)]
    pub all: bool,
    /// Print JSON
    #[arg(long, global = true)]
    pub json: bool,
    /// Where logs and job sheets are kept [default: the XDG state folder]
    #[arg(long, global = true, value_name = "DIR")]
    pub state: Option<PathBuf>,
    /// Where set-aside things wait, such as a folder on another volume [default: the state folder]
    #[arg(long, global = true, value_name = "DIR")]
    pub dustpan: Option<PathBuf>,
    /// It is the same computer, where only its path tells (FAT, some shares)
    #[arg(long, global = true)]
    pub same_computer: bool,
    /// What ages count from: arrived, or modified for a disk that was imaged or restored
    #[arg(long, global = true, value_name = "DATE")]
    pub aged_by: Option<String>,
    /// The moment that ages count from
    #[arg(long, global = true, value_name = "TIME")]
    pub now: Option<String>,
    /// Where the technician's own files are; set by tests, else the XDG configuration folder
    #[arg(skip)]
    pub config: Option<PathBuf>,
}

impl SharedOptions {
    /// The patterns of what is to be spared, one by one.
    pub(crate) fn exclusions(&self) -> Vec<String> {
        let all = self.exclude.iter();
        all.flat_map(|text| patterns_of(text)).collect()
    }
}

/// Divides a list of patterns at its commas; those in `{a,b}` and `[,]` are a pattern's own.
fn patterns_of(text: &str) -> Vec<String> {
    let mut patterns = vec![String::new()];
    let (mut braces, mut is_set) = (0_usize, false);
    for letter in text.chars() {
        match letter {
            '{' if !is_set => braces += 1,
            '}' if !is_set => braces = braces.saturating_sub(1),
            '[' => is_set = true,
            ']' => is_set = false,
            ',' if braces == 0 && !is_set => {
                patterns.push(String::new());
                continue;
            }
            _ => {}
        }
        if let Some(last) = patterns.last_mut() {
            last.push(letter);
        }
    }
    // A list of nothing is a mistake, which is told where patterns are read.
    if patterns.iter().any(|pattern| !pattern.is_empty()) {
        patterns.retain(|pattern| !pattern.is_empty());
    }
    patterns
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commas_divide_patterns_but_not_what_stands_in_braces_or_brackets() {
        for (text, patterns) in [
            ("*.odt", &["*.odt"][..]),
            ("a/**,b/*.{odt,ods},c", &["a/**", "b/*.{odt,ods}", "c"]),
            ("x[,]y,z", &["x[,]y", "z"]),
            (",a,,", &["a"]),
            ("{a,b", &["{a,b"]),
            ("", &[""]),
        ] {
            assert_eq!(patterns_of(text), patterns, "{text}");
        }
    }
}
