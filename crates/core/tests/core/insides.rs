//! A pile from inside shows each of its items once, its folders add up to what is below them, and
//! what goes of each is what goes of its items; whatever isn't of the pile is told, and why.

use std::collections::{BTreeMap, BTreeSet};

use jolly_core::CancelToken;
use jolly_core::computer::{Layout, TargetPath};
use jolly_core::decide::{
    Arrangement, Choice, Decisions, Entry, EntryId, Excluded, Exclusion, Inside, InsideOrder, Node,
    Other, PileDecision, Selection, Spares, others,
};
use jolly_core::pile::{Scan, Sum};
use jolly_core::rule::Verdict;
use jolly_core::source::{ItemId, PileId};
use proptest::prelude::*;
use proptest::sample::Index;

use crate::support::{Bench, DAY, arb_tree, build};

fn open(scan: &Scan, pile: PileId, order: InsideOrder) -> (Inside, Arrangement) {
    let never = CancelToken::default();
    let inside = Inside::of(scan, pile, &never).unwrap();
    let arrangement = inside.arrange(scan, order, &never).unwrap();
    (inside, arrangement)
}

/// Every entry below the top, with the folder that it was shown in.
fn walk(inside: &Inside, arrangement: &Arrangement) -> Vec<(EntryId, EntryId)> {
    let mut all = Vec::new();
    let mut waiting = vec![inside.top()];
    while let Some(folder) = waiting.pop() {
        for id in arrangement.of(folder) {
            all.push((*id, folder));
            if inside.is_folder(*id) {
                waiting.push(*id);
            }
        }
    }
    all
}

/// What the items below a folder free, of those that `counts`.
fn below(scan: &Scan, pile: PileId, folder: &TargetPath, counts: &dyn Fn(ItemId) -> bool) -> Sum {
    let mut sum = Sum::default();
    for item in scan.pile(pile).items().filter(|item| counts(*item)) {
        if scan.arena.path(item).below(folder).is_some() {
            let bytes = scan.arena.frees(item);
            sum.add(Sum { items: 1, bytes });
        }
    }
    sum
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn prop_inside_a_pile_everything_stands_once_and_adds_up(
        tree in arb_tree(),
        taken in prop::collection::vec((any::<Index>(), any::<bool>()), 0..5),
        pattern in prop::option::of(prop::sample::select(vec!["*.tmp", "a", "tmp/*/b.tmp"])),
        order in prop::sample::select(vec![InsideOrder::Biggest, InsideOrder::Oldest, InsideOrder::Name]),
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let scan = bench.scan();
        let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
        let items: Vec<ItemId> = scan.arena.items().collect();
        for (index, take) in taken.iter().filter(|_| !items.is_empty()) {
            let node = Node::Item(items[index.index(items.len())]);
            let choice = if *take { Choice::Take } else { Choice::Leave };
            decisions.choose(&scan, "one", (node, Some(choice)), None);
        }
        if let Some(pattern) = pattern {
            let one = Excluded::find(&scan, Exclusion::of_run(pattern).unwrap()).unwrap();
            decisions.exclude(&scan, "spared", vec![one]);
        }
        for pile in (0..scan.piles.len()).map(PileId).filter(|pile| !scan.pile(*pile).is_empty()) {
            let (inside, arrangement) = open(&scan, pile, order);
            let takes = inside.takes(&scan, &decisions);
            let held: BTreeSet<_> = decisions.held_back().iter().copied().collect();
            let all = walk(&inside, &arrangement);
            let mut seen = BTreeSet::new();
            for (id, folder) in &all {
                prop_assert_eq!(inside.parent(*id), Some(*folder));
                let entry = inside.entry(&scan, *id).unwrap();
                match entry {
                    Entry::Item(item) => {
                        prop_assert!(seen.insert(item), "{} stands twice", scan.arena.path(item));
                        prop_assert_eq!(scan.arena.pile(item), pile);
                    }
                    Entry::Folder(folder) => {
                        let path = scan.arena.folder_path(folder);
                        prop_assert_eq!(inside.found(&scan, *id), below(&scan, pile, &path, &|_| true));
                        let mut goes = below(&scan, pile, &path, &|item| decisions.takes_item(&scan, item));
                        for item in held.iter().filter(|item| scan.arena.pile(**item) == pile) {
                            if scan.arena.path(*item).below(&path).is_some() {
                                goes.bytes -= scan.arena.frees(*item);
                            }
                        }
                        prop_assert_eq!(inside.takes_of(&takes, *id), goes, "in {}", path);
                        let youngest = scan.pile(pile).items()
                            .filter(|item| scan.arena.path(*item).below(&path).is_some())
                            .map(|item| scan.age(item)).min();
                        prop_assert_eq!(Some(inside.age(&scan, *id)), youngest);
                    }
                }
            }
            // Only info files of a trash are not shown, and they are counted where their thing is.
            let hidden = scan.pile(pile).items().filter(|item| !seen.contains(item));
            let is_info = |item: ItemId| scan.notes.all().iter().any(|note| note.info == item);
            prop_assert!(hidden.into_iter().all(is_info));
            prop_assert_eq!(inside.found(&scan, inside.top()), scan.pile(pile).found());
            prop_assert_eq!(inside.takes_of(&takes, inside.top()), decisions.takes(pile));

            // In each folder the order is the one that was asked for.
            let mut by_folder: BTreeMap<EntryId, Vec<EntryId>> = BTreeMap::new();
            for (id, folder) in &all {
                by_folder.entry(*folder).or_default().push(*id);
            }
            for entries in by_folder.values() {
                let keys: Vec<_> = entries.iter().map(|id| match order {
                    InsideOrder::Biggest => (u64::MAX - inside.found(&scan, *id).bytes, Vec::new()),
                    InsideOrder::Oldest => (u64::MAX - inside.age(&scan, *id), Vec::new()),
                    InsideOrder::Name => (0, inside.name(&scan, *id)),
                }).collect();
                prop_assert!(keys.is_sorted());
            }
        }
    }
}

#[test]
fn a_trash_from_inside_shows_things_with_where_they_lay_and_since_when() {
    let bench = Bench::new();
    let trash = "home/ada/.local/share/Trash";
    for name in ["letters/a", "letters/deep/b", "song.ogg"] {
        let path = format!("{trash}/files/{name}");
        bench.tree.file(path, 8192, 60 * DAY).unwrap();
    }
    for (name, from) in [
        ("letters", "/home/ada/my%20letters"),
        ("song.ogg", "/home/ada/song.ogg"),
    ] {
        let info = format!("[Trash Info]\nPath={from}\nDeletionDate=2026-01-01T12:00:00\n");
        bench
            .tree
            .text(format!("{trash}/info/{name}.trashinfo"), info, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let rule = scan.rules.by_id("linux/trash").unwrap();
    let is_it = |id: &PileId| scan.pile(*id).rule == rule && !scan.pile(*id).is_empty();
    let pile = (0..scan.piles.len()).map(PileId).find(is_it).unwrap();
    let (inside, arrangement) = open(&scan, pile, InsideOrder::Name);
    let top: Vec<_> = arrangement.of(inside.top()).to_vec();
    let names: Vec<_> = top.iter().map(|id| inside.name(&scan, *id)).collect();
    assert_eq!(
        names,
        [b"letters".to_vec(), b"song.ogg".to_vec()],
        "no folders of the trash itself"
    );
    let lay = |id: EntryId| inside.trashed(id).unwrap().original.clone().unwrap();
    assert_eq!(lay(top[0]), "/home/ada/my letters");
    assert_eq!(lay(top[1]), "/home/ada/song.ogg");
    let letters = inside.found(&scan, top[0]);
    assert_eq!(letters.items, 3, "its info file is counted with it");

    // What is found leads there; what isn't is not.
    let never = CancelToken::default();
    let found = inside.find(&scan, &arrangement, None, "B", &never).unwrap();
    assert_eq!(inside.name(&scan, found), b"b");
    assert!(
        inside
            .find(&scan, &arrangement, None, "nothing", &never)
            .is_none()
    );

    // The thing goes with what describes it, and the sums follow.
    let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
    let node = inside.node(&scan, top[0]).unwrap();
    decisions.choose(&scan, "letters", (node, Some(Choice::Take)), None);
    let takes = inside.takes(&scan, &decisions);
    assert_eq!(inside.takes_of(&takes, top[0]), letters);
    assert_eq!(decisions.takes(pile), letters);
    let decision = PileDecision {
        is_taken: true,
        ..decisions.of(pile)
    };
    decisions.decide(&scan, "all", &[(pile, decision)]);
    assert_eq!(decisions.takes(pile), scan.pile(pile).found());
    let spares = Spares::path(TargetPath::new(format!("{trash}/files/song.ogg")).unwrap());
    let exclusion = Exclusion {
        spares,
        ..Exclusion::of_run("x").unwrap()
    };
    let one = Excluded::find(&scan, exclusion).unwrap();
    decisions.exclude(&scan, "the song", vec![one]);
    assert_eq!(decisions.takes(pile), letters);
}

#[test]
fn what_is_not_of_the_pile_is_told_with_its_reason() {
    let bench = Bench::new().with_book(
        "[[rule]]\nid = \"logs\"\ntitle = \"Logs\"\nclass = \"spent\"\nabout = \"a\"\nafter = \"b\"\n\
         in = [\"{home}/exports\"]\ntake = [\"**/*.log\"]\nspare = [\"keep.log\"]\n",
    );
    for name in ["a.log", "keep.log", "table.csv", "id_rsa.log", "deep/b.log"] {
        bench
            .tree
            .file(format!("home/ada/exports/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    bench
        .tree
        .text("home/ada/exports/.ssh/known.log", "x", DAY)
        .unwrap();
    let scan = bench.scan();
    let pile = (0..scan.piles.len())
        .map(PileId)
        .find(|id| !scan.pile(*id).is_empty())
        .unwrap();
    let (inside, _) = open(&scan, pile, InsideOrder::Name);
    let Some(Entry::Folder(top)) = inside.entry(&scan, inside.top()) else {
        panic!("the pile lies in one folder");
    };
    let known = inside.names_in(&scan, top);
    let told = others(
        &scan,
        &scan.arena.folder_path(top),
        &known,
        &CancelToken::default(),
    );
    let told: Vec<(String, Verdict)> = told
        .all
        .iter()
        .map(|other| {
            (
                String::from_utf8(other.name.clone()).unwrap(),
                other.verdict,
            )
        })
        .collect();
    let verdict = |name: &str| {
        told.iter()
            .find(|(known, _)| known == name)
            .map(|(_, verdict)| *verdict)
    };
    assert_eq!(verdict("keep.log"), Some(Verdict::Spared));
    assert_eq!(verdict("table.csv"), Some(Verdict::NotMine));
    assert_eq!(verdict(".ssh"), Some(Verdict::NotMine));
    assert_eq!(verdict("a.log"), None);
    assert_eq!(verdict("deep"), None, "it is a folder of the pile");
    assert!(told.len() >= 3, "{told:?}");
}

#[test]
fn what_windows_throws_away_is_shown_by_the_name_it_had() {
    let bench = Bench::of_demo(jolly_demo::DemoLayout::Windows, Layout::Windows);
    let scan = bench.scan();
    let rule = scan.rules.by_id("windows/trash").unwrap();
    let mut seen = Vec::new();
    for pile in (0..scan.piles.len()).map(PileId) {
        if scan.pile(pile).rule != rule || scan.pile(pile).is_empty() {
            continue;
        }
        let (inside, arrangement) = open(&scan, pile, InsideOrder::Name);
        for (id, folder) in walk(&inside, &arrangement) {
            let Some(trashed) = inside.trashed(id) else {
                continue;
            };
            let original = trashed.original.clone().unwrap();
            assert!(
                original.starts_with("C:\\") && !original.contains("\\\\"),
                "{original}"
            );
            let name = inside.shown_name(&scan, id);
            assert!(
                original.ends_with(&name) && !name.starts_with("$R"),
                "{name}"
            );
            assert_eq!(
                inside.find(&scan, &arrangement, None, &name, &CancelToken::default()),
                Some(id)
            );
            // What describes it lies beside it, and is neither shown nor called a stranger.
            if let Some(Entry::Folder(holder)) = inside.entry(&scan, folder) {
                let known = inside.names_in(&scan, holder);
                let path = scan.arena.folder_path(holder);
                let told = others(&scan, &path, &known, &CancelToken::default());
                let is_index = |name: &[u8]| name.starts_with(b"$I");
                let is_ours = |other: &Other| other.verdict == Verdict::Taken;
                assert!(!told.all.iter().any(is_ours), "{told:?}");
                assert!(known.iter().any(|name| is_index(name)));
            }
            seen.push(name);
        }
    }
    assert!(!seen.is_empty());
}

/// On both layouts that have translations: languages share nothing, hold all of the pile, and one of them goes alone.
#[test]
fn a_pile_of_translations_is_chosen_language_by_language() {
    let linux = Bench::new();
    for (path, size) in [
        ("usr/share/locale/fi/LC_MESSAGES/tidewatch.mo", 9_000),
        ("usr/share/locale/fi/LC_MESSAGES/knotbook.mo", 5_000),
        ("usr/share/man/fi/man1/knotbook.1", 3_000),
        ("usr/share/help/fi/tidewatch/index.page", 1_000),
        ("usr/share/locale/pt_BR/LC_MESSAGES/tidewatch.mo", 70_000),
        ("usr/share/locale/pt/LC_MESSAGES/tidewatch.mo", 70_000),
        ("usr/share/man/man1/knotbook.1", 3_000),
        ("usr/share/locale/de/LC_MESSAGES/tidewatch.mo", 9_000),
    ] {
        linux.tree.file(path, size, 800 * DAY).unwrap();
    }
    linux
        .tree
        .text("etc/default/locale", "LANG=de_DE.UTF-8\n", 90 * DAY)
        .unwrap();
    let macos = Bench::of_demo(jolly_demo::DemoLayout::Macos, Layout::Macos);
    for (bench, wanted) in [(&linux, vec!["pt", "fi"]), (&macos, vec!["fi", "sv"])] {
        let scan = bench.scan();
        let mut piles = (0..scan.piles.len()).map(PileId);
        let pile = piles.find(|pile| {
            let rule = scan.pile(*pile).rule;
            scan.rules.rule(rule).rule.id.ends_with("languages")
        });
        let pile = pile.unwrap();
        let inside = Inside::of(&scan, pile, &CancelToken::default()).unwrap();
        let languages = inside.languages(&scan);
        let mut codes: Vec<&str> = languages.iter().map(|one| one.code.as_str()).collect();
        if wanted == ["fi", "sv"] {
            codes.sort_unstable();
        }
        assert_eq!(codes, wanted);
        let mut all = Sum::default();
        for one in &languages {
            all.add(one.found);
        }
        assert_eq!(all, scan.pile(pile).found(), "all of it is in one language");
        let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
        for one in &languages {
            let nodes: Vec<Node> = one
                .folders
                .iter()
                .filter_map(|folder| inside.node(&scan, *folder))
                .collect();
            decisions.choose_all(&scan, &one.code, &nodes, Choice::Take);
            assert_eq!(decisions.takes(pile), one.found, "{}", one.code);
            decisions.choose_all(&scan, &one.code, &nodes, Choice::Leave);
            assert_eq!(decisions.takes(pile), Sum::default());
        }
    }
}
