//! The two looks of the guards held together.

use proptest::prelude::*;

use super::*;
use crate::computer::Places;
use crate::rule::Guards;
use crate::rule::guard::samples::{arb_case, rules};

/// What both looks know of a computer with a home that is known and one that is closed.
fn both(layout: Layout) -> (Guards, Kept) {
    let path = |text: &str| TargetPath::new(text).unwrap();
    let mut places = Places::of_layout(layout);
    places.personal.add(&path("home/ada/Documents"));
    places.personal.close(&path("home/eve"));
    places.add(crate::computer::Place::Cache, None, path("home/ada/cache"));
    let own = vec![path("tmp/x.log")];
    let roots = [path("home/ada/cache")];
    let kept = Kept::new(layout, &places.personal, &own, roots.iter());
    (Guards::new(&places, own), kept)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6000, ..ProptestConfig::default() })]

    #[test]
    fn prop_whatever_the_first_look_refuses_the_second_refuses(
        (layout, parts) in arb_case(), within_depth in 0_usize..4,
    ) {
        let (guards, kept) = both(layout);
        let path = TargetPath::new(parts.join("/")).unwrap();
        let within = parts.iter().take(within_depth.min(parts.len() - 1));
        let within: Vec<&str> = within.map(String::as_str).collect();
        let within = TargetPath::new(within.join("/")).unwrap();
        for rule in rules() {
            let first = guards.path(&path, rule, &within);
            let mut near = FolderFacts::new(&kept, &|_| false, path.folder_bytes());
            let second = near.refusal(&kept, rule, &within, (&path, EntryKind::Folder));
            prop_assert!(first.is_none() || second.is_some(), "{path} by {} in {within}: {first:?}", rule.class.name());
        }
    }
}

#[test]
fn what_is_no_secret_is_not_refused() {
    for (layout, text) in [
        (Layout::Linux, "tmp/x"),
        (Layout::Linux, "home/ada/.cache/x/data_0"),
        (Layout::Linux, "var/lib/systemd/coredump/core.x"),
        (Layout::Linux, "var/log/messages.1.gz"),
        (Layout::Linux, "var/log/mail.log.2"),
        (Layout::Linux, "home/ada/.local/share/recently-used.xbel"),
        (Layout::Windows, "windows/TEMP/x"),
        (Layout::Windows, "Windows/MEMORY.DMP"),
        (Layout::Windows, "Windows/inf/setupapi.dev.log"),
        (Layout::Macos, "private/var/folders/q1/8k/T/x"),
        (Layout::Macos, "Library/Caches/x"),
    ] {
        let (guards, kept) = both(layout);
        let path = TargetPath::new(text).unwrap();
        let root = TargetPath::root();
        let rule = rules().first().unwrap();
        assert_eq!(guards.path(&path, rule, &root), None, "{text}");
        let mut near = FolderFacts::new(&kept, &|_| false, path.folder_bytes());
        assert_eq!(
            near.refusal(&kept, rule, &root, (&path, EntryKind::Folder)),
            None,
            "{text}"
        );
    }
}
