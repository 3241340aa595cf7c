//! A hostile home: thousands of things that nobody may lose, called and placed so that a careless rule takes them.
//! Built-in rulebooks and a technician's own are held against it.

use crate::computer::{Layout, TargetPath};
use crate::rule::check::usual::UsualComputer;
use crate::rule::ownership::{Ownership, decide as decide_owner};
use crate::rule::{FileKind, RuleId, RuleSet};

/// Something that nobody may lose.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Precious {
    /// Its path below the root.
    pub path: String,
    /// What it is inside, where that could mislead.
    pub contents: Option<FileKind>,
}

/// Something precious that a rule would take.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{rule} would take {path}, which nobody may lose")]
pub struct PreciousTaken {
    /// The rule's id.
    pub rule: RuleId,
    /// The path.
    pub path: String,
}

/// The hostile home of a layout.
///
/// Its text has a path a line; `{a,b}` stands for both, and may stand in another. What a thing is inside is said
/// behind ` = `.
pub fn hostile_home(layout: Layout) -> Vec<Precious> {
    let text = match layout {
        Layout::Linux => include_str!("../../../../../rulebooks/hostile/linux.txt"),
        Layout::Windows => include_str!("../../../../../rulebooks/hostile/windows.txt"),
        Layout::Macos => include_str!("../../../../../rulebooks/hostile/macos.txt"),
    };
    let lines = [
        include_str!("../../../../../rulebooks/hostile/every.txt"),
        text,
    ];
    let lines = lines.iter().flat_map(|text| text.lines());
    let lines = lines.filter(|line| !line.is_empty() && !line.starts_with('#'));
    let unfolded = lines.flat_map(|line| {
        let (path, kind) = line.split_once(" = ").unwrap_or((line, ""));
        let contents = FileKind::by_name(kind);
        let homes = if layout == Layout::Linux {
            "home"
        } else {
            "Users"
        };
        let path = path.replace("HOME", &format!("{homes}/pia"));
        unfold(&path)
            .into_iter()
            .map(move |path| Precious { path, contents })
    });
    unfolded.collect()
}

/// Every text that alternatives in braces stand for.
fn unfold(text: &str) -> Vec<String> {
    let Some(open) = text.find('{') else {
        return vec![text.to_owned()];
    };
    let (before, rest) = text.split_at(open);
    let mut depth = 0;
    let mut commas = vec![0];
    let mut end = rest.len();
    for (at, letter) in rest.char_indices() {
        match letter {
            '{' => depth += 1,
            ',' if depth == 1 => commas.push(at),
            '}' => {
                depth -= 1;
                if depth == 0 {
                    end = at;
                    break;
                }
            }
            _ => {}
        }
    }
    commas.push(end);
    let after = rest.get(end + 1..).unwrap_or_default();
    let choices = commas.windows(2).filter_map(|ends| match ends {
        [from, to] => rest.get(from + 1..*to),
        _ => None,
    });
    choices
        .flat_map(|choice| unfold(&format!("{before}{choice}{after}")))
        .collect()
}

/// Holds rules against the hostile home of their layout; tells how many things are in it, and those that a rule
/// would take, however old.
pub fn run_hostile_home(rules: &RuleSet) -> (usize, Vec<PreciousTaken>) {
    let Some((_, first)) = rules.iter().next() else {
        return (0, Vec::new());
    };
    let all = hostile_home(first.layout);
    let computer = UsualComputer::new(rules);
    let taken = all.iter().filter_map(|precious| {
        let path = TargetPath::new(precious.path.as_bytes()).ok()?;
        let mut sample = computer.sample(path, precious.contents, None);
        let Ownership::Owned(at) = decide_owner(sample.searches(), &mut sample) else {
            return None;
        };
        let rule = rules.rule(sample.number(at));
        // Of a database rows go, and what it is stays.
        if rule.rule.records.is_some() {
            return None;
        }
        Some(PreciousTaken {
            rule: rule.id.clone(),
            path: precious.path.clone(),
        })
    });
    let taken = taken.collect();
    (all.len(), taken)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn braces_stand_for_each_of_their_choices() {
        assert_eq!(unfold("a"), ["a"]);
        assert_eq!(
            unfold("{a,b{c,d}}/{e,}"),
            ["a/e", "a/", "bc/e", "bc/", "bd/e", "bd/"]
        );
    }

    #[test]
    fn every_path_is_one_and_none_stands_twice() {
        for layout in [Layout::Linux, Layout::Windows, Layout::Macos] {
            let all = hostile_home(layout);
            let paths: std::collections::HashSet<&str> =
                all.iter().map(|precious| &*precious.path).collect();
            assert_eq!(paths.len(), all.len());
            assert!(all.len() >= 2_500, "{layout:?}: {}", all.len());
            for path in paths {
                assert!(TargetPath::new(path.as_bytes()).is_ok(), "{path}");
                assert!(!path.contains(['{', '}', '=']), "{path}");
            }
        }
    }
}
