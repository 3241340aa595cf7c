//! Names in a form in which those of one program are alike.

/// What a name of a program is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::survey) enum Known {
    /// What its source knows it by.
    Identifier,
    /// What people call it.
    Title,
    /// A program file of it.
    Executable,
    /// What the table of names that belong together says.
    Table,
}

impl Known {
    /// Why what is called so is the program's, in words.
    pub(in crate::survey) fn words(self) -> &'static str {
        match self {
            Self::Identifier => "has the name of its record",
            Self::Title => "has the program's name",
            Self::Executable => "has the name of its program file",
            Self::Table => "belongs to it by the table of names",
        }
    }
}

/// Words that say nothing of a program, wherever they stand alone.
const COMMON: &str = " app apps application applications backup backups bin cache caches chat client common config core \
    crash data db default desktop dev docs download downloads editor etc files fonts games help history home icons info \
    install lib library local locale log logs main media menu misc music net network notes office package packages photos \
    player plugins profile profiles program programs reader recent save saves server service services session settings \
    setup share shared state storage store sync system systems temp test themes tmp tool tools trash update updater updates \
    user users var video videos viewer web windows work ";

/// Endings of names of packages that don't belong to the program's own name.
const ENDINGS: [&str; 14] = [
    "-bin", "-client", "-common", "-core", "-data", "-desktop", "-esr", "-git", "-gtk", "-gui",
    "-nox", "-qt", "-stable", "-x11",
];

/// Endings of names of files that hold a program's settings or state.
const FILES: [&str; 7] = [
    ".plist",
    ".savedstate",
    ".binarycookies",
    ".desktop",
    ".appimage",
    ".app",
    ".conf",
];

/// A name in small letters, without all that isn't a letter or figure.
pub(in crate::survey) fn normal(name: &str) -> String {
    let letters = name.chars().filter(|letter| letter.is_alphanumeric());
    letters.flat_map(char::to_lowercase).collect()
}

/// Whether a name in its normal form says nothing of a program.
pub(in crate::survey) fn is_common(normal: &str) -> bool {
    normal.chars().count() < 2 || COMMON.split(' ').any(|word| word == normal)
}

/// The name of a package without what only says which part of the program it is.
pub(super) fn without_ending(package: &str) -> &str {
    let ending = ENDINGS
        .iter()
        .find_map(|ending| package.strip_suffix(ending));
    ending.filter(|rest| rest.len() > 2).unwrap_or(package)
}

/// Forms in which a folder's or file's name may be a program's, the surest first.
pub(in crate::survey) fn forms(name: &str) -> Vec<String> {
    let small = name.to_lowercase();
    let plain = small.strip_prefix('.').unwrap_or(&small);
    let plain = FILES
        .iter()
        .find_map(|it| plain.strip_suffix(it))
        .unwrap_or(plain);
    let mut found = vec![normal(plain)];
    // A reversed domain: its last part is the program.
    if let Some((front, last)) = plain.rsplit_once('.')
        && front.contains(|letter: char| letter.is_alphabetic())
        && !last.starts_with(|letter: char| letter.is_ascii_digit())
    {
        found.push(normal(last));
    }
    // A version behind a name.
    let version = plain.find([' ', '-', '_']).filter(|at| {
        let rest = plain.get(at + 1..).unwrap_or_default();
        rest.starts_with(|letter: char| letter.is_ascii_digit())
            && rest
                .chars()
                .all(|it| it.is_ascii_digit() || ".-_".contains(it))
    });
    if let Some(front) = version.and_then(|at| plain.get(..at)) {
        found.push(normal(front));
    }
    // A file of settings: `nanorc`, `.screenrc`.
    if let Some(front) = plain.strip_suffix("rc").filter(|front| front.len() > 2) {
        found.push(normal(front));
    }
    found.retain(|form| !is_common(form));
    found.dedup();
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_one_program_are_alike() {
        assert_eq!(normal("Knot Book"), normal("knot-book"));
        assert_eq!(normal("Überfähre 船"), "überfähre船");
        assert_eq!(
            forms("example.knotbook.plist"),
            ["exampleknotbook", "knotbook"]
        );
        assert_eq!(forms(".tidewatch"), ["tidewatch"]);
        assert_eq!(forms("tidewatch-2.1"), ["tidewatch21", "tidewatch"]);
        assert_eq!(forms("node.js"), ["nodejs", "js"]);
        assert_eq!(forms(".knotbookrc"), ["knotbookrc", "knotbook"]);
        assert!(forms("cache").is_empty() && forms(".config").is_empty() && forms("x").is_empty());
        assert_eq!(without_ending("heron-esr"), "heron");
        assert_eq!(without_ending("x-bin"), "x-bin");
    }
}
