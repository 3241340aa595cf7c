//! Completing a folder that is typed.

/// What all folders begin with; with a slash behind it when there is only one.
pub(super) fn common_start(folders: &[String]) -> Option<String> {
    let (first, rest) = folders.split_first()?;
    if rest.is_empty() {
        return Some(format!("{}/", first.trim_end_matches('/')));
    }
    let mut start = first.clone();
    for other in rest {
        while !other.starts_with(&start) {
            start.pop();
        }
    }
    Some(start)
}
