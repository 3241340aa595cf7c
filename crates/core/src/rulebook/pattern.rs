//! Patterns: compiled to match, and sampled to know what they could ever match.

use globset::{Glob, GlobBuilder};

use crate::target::Layout;

/// Most alternatives that the samples of one pattern unfold to.
const MOST_SAMPLES: usize = 64;

/// Compiles one pattern: `*` and `?` stay within a name, `**` crosses folders.
///
/// # Errors
/// In words, when it is not a pattern or could lead up or out.
pub(super) fn compile(pattern: &str, layout: Layout) -> Result<Glob, String> {
    if pattern.is_empty() {
        return Err("an empty pattern matches nothing".to_owned());
    }
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
    GlobBuilder::new(pattern)
        .literal_separator(true)
        .case_insensitive(layout.ignores_case())
        .build()
        .map_err(|error| format!("not a pattern: {}", error.kind()))
}

/// Whether it takes everything at some depth, whatever its name.
pub(super) fn takes_everything(pattern: &str) -> bool {
    pattern
        .split('/')
        .all(|part| part.chars().all(|letter| letter == '*'))
}

/// Paths that the pattern matches, one for each alternative in braces, with `sample` in place of
/// whatever is open.
pub(super) fn samples(pattern: &str) -> Vec<String> {
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
