//! Notes of the package manager pacman: a name between percent signs, then its lines up to an empty one.

/// The lines below a name of such notes.
pub(crate) fn lines<'a>(text: &'a str, name: &str) -> impl Iterator<Item = &'a str> {
    let mut lines = text.lines();
    let begins =
        lines.any(|line| line.strip_prefix('%').and_then(|it| it.strip_suffix('%')) == Some(name));
    lines.take_while(move |line| begins && !line.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_stand_below_their_name() {
        let text = "%NAME%\ntide\n\n%LICENSE%\na\nb\n\n%SIZE%\n12";
        assert_eq!(lines(text, "NAME").collect::<Vec<_>>(), ["tide"]);
        assert_eq!(lines(text, "LICENSE").collect::<Vec<_>>(), ["a", "b"]);
        assert_eq!(lines(text, "SIZE").next(), Some("12"));
        assert_eq!(lines(text, "REASON").next(), None);
    }
}
