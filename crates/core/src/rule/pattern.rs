//! Patterns: compiled to match, and sampled to know what they could ever match.

pub(crate) mod path;

use globset::{Glob, GlobBuilder};

use crate::computer::Layout;

/// Most alternatives that the samples of one pattern unfold to.
const MOST_SAMPLES: usize = 64;

/// Compiles one pattern: `*` and `?` stay within a name, `**` crosses folders.
///
/// # Errors
/// In words, when it is not a pattern or could lead up or out.
pub(crate) fn compile(pattern: &str, layout: Layout) -> Result<Glob, String> {
    relative(pattern)?;
    build(pattern, layout).map_err(|error| format!("not a pattern: {}", error.kind()))
}

/// Whether a pattern leads down and nowhere else; what its parts say is not looked at.
///
/// # Errors
/// In words, when it could lead up or out, or is longer than anybody would write.
pub(crate) fn relative(pattern: &str) -> Result<(), String> {
    if pattern.is_empty() {
        return Err("an empty pattern matches nothing".to_owned());
    }
    bound(pattern)?;
    if pattern.starts_with('/') {
        return Err("a pattern is relative: it starts below `in`, not with `/`".to_owned());
    }
    if pattern.contains('\\') {
        return Err("a pattern has no backslashes; folders are divided by `/`".to_owned());
    }
    if pattern
        .split('/')
        .any(|part| part == ".." || part == "." || part.is_empty())
    {
        return Err("a pattern has no `..`, `.` or empty parts".to_owned());
    }
    Ok(())
}

/// Builds a glob; one that would be too much to match is an error like any other.
///
/// # Errors
/// When it is no glob, or is too large.
pub(crate) fn build(pattern: &str, layout: Layout) -> Result<Glob, globset::Error> {
    let glob = GlobBuilder::new(pattern)
        .literal_separator(true)
        .case_insensitive(layout.ignores_case())
        .build()?;
    if pattern.len() > SMALL {
        // A single matcher is made without asking whether that can be done; a set asks.
        globset::GlobSetBuilder::new().add(glob.clone()).build()?;
    }
    Ok(glob)
}

/// A pattern of fewer letters is never too much to match.
const SMALL: usize = 128;

/// The longest pattern, in bytes, and how many parts one may have or nest.
const LONGEST: usize = 64 * 1024;
const MOST_LEVELS: usize = 64;

/// Whether a pattern is one that anybody would write.
///
/// # Errors
/// In words, when it is too long or too deep.
pub(crate) fn bound(pattern: &str) -> Result<(), String> {
    if pattern.len() > LONGEST {
        return Err("it is longer than 64 KiB".to_owned());
    }
    let (mut depth, mut deepest) = (0_usize, 0);
    for letter in pattern.bytes() {
        match letter {
            b'{' => depth += 1,
            b'}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        deepest = deepest.max(depth);
    }
    if deepest > MOST_LEVELS || pattern.split('/').count() > MOST_LEVELS {
        return Err("it is deeper than 64 levels".to_owned());
    }
    Ok(())
}

/// Whether it takes everything at some depth, whatever its name.
pub(crate) fn takes_everything(pattern: &str) -> bool {
    pattern
        .split('/')
        .all(|part| part.chars().all(|letter| letter == '*'))
}

/// Paths that the pattern matches, one for each alternative in braces, with `sample` in place of
/// whatever is open.
pub(crate) fn samples(pattern: &str) -> Vec<String> {
    let mut unfolded = vec![String::new()];
    let mut rest = pattern;
    while let Some((head, tail)) = rest.split_once('{') {
        let Some((inner, after)) = tail.split_once('}') else {
            break;
        };
        unfolded = unfolded
            .iter()
            .flat_map(|start| {
                inner
                    .split(',')
                    .map(move |choice| format!("{start}{head}{choice}"))
            })
            .take(MOST_SAMPLES)
            .collect();
        rest = after;
    }
    unfolded
        .iter()
        .map(|start| close(&format!("{start}{rest}")))
        .collect()
}

/// Puts a letter or name wherever the pattern leaves one open.
fn close(pattern: &str) -> String {
    let mut closed = String::new();
    let mut letters = pattern.chars().peekable();
    while let Some(letter) = letters.next() {
        match letter {
            '*' => {
                while letters.peek() == Some(&'*') {
                    letters.next();
                }
                closed.push_str("sample");
            }
            '?' => closed.push('x'),
            '[' => {
                for inner in letters.by_ref() {
                    if inner == ']' {
                        break;
                    }
                }
                closed.push('x');
            }
            _ => closed.push(letter),
        }
    }
    closed
}
