//! Whatever is decided, the sums are exact, every step can be taken back, and a manifest holds
//! exactly what the decisions take.

use std::collections::{BTreeMap, BTreeSet};
use std::os::unix::ffi::OsStrExt as _;

use jolly_core::computer::{EntryKind, Layout, TargetPath};
use jolly_core::decide::{
    Choice, Decisions, Disposition, Excluded, Exclusion, Node, PileDecision, PileState, Scope,
    Selection, Spares, Start, StartLimit, Starts, Thing,
};
use jolly_core::pile::{PileIndex, PileKey, Scan, Sum};
use jolly_core::plan::make_manifest;
use jolly_core::rule::{AgeLimit, AgeUnit, Class, Guards, Removal};
use jolly_core::source::{ItemId, PileId};
use proptest::prelude::*;
use proptest::sample::Index;

use crate::support::{Bench, DAY, arb_tree, build, paths_of};

fn arb_limit() -> impl Strategy<Value = Option<AgeLimit>> {
    let units = vec![AgeUnit::Hour, AgeUnit::Day, AgeUnit::Week, AgeUnit::Month];
    prop::option::of((1_u32..60, prop::sample::select(units)))
        .prop_map(|some| some.and_then(|(count, unit)| AgeLimit::new(count, unit).ok()))
}

/// One thing that somebody may do to the decisions.
#[derive(Clone, Debug)]
enum Deed {
    Decide(Index, bool, Option<AgeLimit>, bool),
    Choose(Index, usize, Option<Choice>),
    Exclude(Spares),
    Suspend(Index),
    Delete(Index),
    Undo,
    Redo,
    WalkTo(Index),
    Rescan,
}

fn arb_spares() -> impl Strategy<Value = Spares> {
    let patterns = vec![
        "*.tmp",
        "var/tmp",
        "a",
        "home/ada/.cache/**",
        "tmp/*/b.tmp",
        "**",
    ];
    let paths = vec![
        "tmp/a",
        "var/tmp",
        "home/ada/.cache",
        "tmp/b.tmp",
        "tmp/a/b",
    ];
    let path = |text: &str| Spares::path(TargetPath::new(text).unwrap());
    let rule = |rule: &str| Spares {
        rule: Some(rule.to_owned()),
        ..Spares::default()
    };
    let figures = |(size, limit): (Option<u64>, Option<AgeLimit>)| Spares {
        larger_than: size.map(|kib| kib * 1024),
        younger_than: limit,
        account: size.is_none().then(|| "ada".to_owned()),
        ..Spares::default()
    };
    prop_oneof![
        3 => prop::sample::select(patterns).prop_map(|text| Spares::pattern(text).unwrap()),
        3 => prop::sample::select(paths).prop_map(path),
        1 => prop::sample::select(vec!["linux/system-temp", "linux/nothing"]).prop_map(rule),
        1 => (prop::option::of(0_u64..40), arb_limit()).prop_map(figures),
    ]
}

fn arb_deed() -> impl Strategy<Value = Deed> {
    let choice = prop_oneof![
        4 => Just(Some(Choice::Take)),
        3 => Just(Some(Choice::Leave)),
        1 => Just(None),
    ];
    prop_oneof![
        5 => (any::<Index>(), any::<bool>(), arb_limit(), any::<bool>())
            .prop_map(|(at, take, limit, aside)| Deed::Decide(at, take, limit, aside)),
        5 => (any::<Index>(), 0_usize..4, choice).prop_map(|(at, up, choice)| Deed::Choose(at, up, choice)),
        3 => arb_spares().prop_map(Deed::Exclude),
        1 => any::<Index>().prop_map(Deed::Suspend),
        1 => any::<Index>().prop_map(Deed::Delete),
        3 => Just(Deed::Undo),
        2 => Just(Deed::Redo),
        1 => any::<Index>().prop_map(Deed::WalkTo),
        1 => Just(Deed::Rescan),
    ]
}

/// Everything decided, kept in the plainest way: by path, looked up item by item.
#[derive(Clone, Debug, PartialEq)]
struct Plain {
    piles: Vec<PileDecision>,
    exclusions: Vec<Exclusion>,
    choices: BTreeMap<(usize, Vec<u8>), Choice>,
}

impl Plain {
    fn new(scan: &Scan) -> Self {
        let start = |at| Selection::default().starts_as(scan, scan.pile(PileId(at)));
        Self {
            piles: (0..scan.piles.len()).map(start).collect(),
            exclusions: Vec::new(),
            choices: BTreeMap::new(),
        }
    }

    fn spares(
        &self,
        scan: &Scan,
        pile: PileId,
        path: &TargetPath,
        size: Option<u64>,
        age: u64,
    ) -> bool {
        let pile = scan.pile(pile);
        let thing = Thing {
            path,
            rule: &scan.rules.rule(pile.rule).id,
            account: scan.account_name(pile),
            size,
            age,
        };
        self.exclusions
            .iter()
            .filter(|one| !one.is_suspended)
            .any(|one| one.spares.matcher(Layout::Linux).unwrap().spares(&thing))
    }

    /// What was chosen for the path itself, or for the nearest folder above it.
    fn choice(&self, pile: PileId, path: &TargetPath) -> Option<(Choice, bool)> {
        let mut at = Some(path.clone());
        while let Some(known) = at {
            if let Some(choice) = self.choices.get(&(pile.0, known.as_bytes().to_vec())) {
                return Some((*choice, known == *path));
            }
            at = known.parent();
        }
        None
    }

    /// Whether an item goes, asked of that item alone.
    fn goes(&self, scan: &Scan, item: ItemId) -> bool {
        let id = scan.arena.pile(item);
        let (decision, path, age) = (self.piles[id.0], scan.arena.path(item), scan.age(item));
        let is_old = decision.limit.is_none_or(|limit| age >= limit.as_seconds());
        let is_wanted = match self.choice(id, &path) {
            Some((Choice::Take, true)) => true,
            Some((Choice::Take, false)) => is_old,
            Some((Choice::Leave, _)) => false,
            None => decision.is_taken && is_old,
        };
        is_wanted && !self.spares(scan, id, &path, Some(scan.arena.size(item)), age)
    }

    /// What goes, added up item by item; bytes of a file with several names only with the last.
    fn recount(&self, scan: &Scan) -> Sum {
        let mut names: BTreeMap<(u64, u64), u32> = BTreeMap::new();
        let mut sum = Sum::default();
        for item in scan.arena.items().filter(|item| self.goes(scan, *item)) {
            sum.items += 1;
            let key = scan.arena.key(item);
            let gone = names.entry((key.device, key.inode)).or_default();
            *gone += 1;
            if *gone == scan.arena.links(item).max(1) {
                sum.bytes += scan.arena.allocated(item);
            }
        }
        sum
    }
}

/// The decisions beside their plain twin, with every state that it went through.
struct Twins {
    decisions: Decisions,
    states: Vec<Plain>,
    at: usize,
}

impl Twins {
    fn new(scan: &Scan) -> Self {
        Self {
            decisions: Decisions::new(scan, &Selection::default()).unwrap(),
            states: vec![Plain::new(scan)],
            at: 0,
        }
    }

    fn plain(&self) -> &Plain {
        &self.states[self.at]
    }

    fn step(&mut self, state: Plain) {
        self.states.truncate(self.at + 1);
        self.states.push(state);
        self.at += 1;
    }

    fn apply(&mut self, scan: &Scan, deed: &Deed) {
        let mut state = self.plain().clone();
        match deed {
            Deed::Undo => {
                let undone = self.decisions.undo(scan);
                assert_eq!(undone.is_some(), self.at > 0);
                self.at = self.at.saturating_sub(1);
            }
            Deed::Redo => {
                let done = self.decisions.redo(scan);
                assert_eq!(done.is_some(), self.at + 1 < self.states.len());
                self.at = (self.at + 1).min(self.states.len() - 1);
            }
            Deed::WalkTo(index) => {
                self.at = index.index(self.states.len());
                self.decisions.walk_to(scan, self.at);
            }
            Deed::Decide(index, is_taken, limit, is_aside) => {
                // Mostly a pile that holds something.
                let items: Vec<ItemId> = scan.arena.items().collect();
                let any = PileId(index.index(scan.piles.len()));
                let pile = items.get(index.index(items.len() + 1));
                let pile = pile.map_or(any, |item| scan.arena.pile(*item));
                let by = if *is_aside {
                    Removal::SetAside
                } else {
                    Removal::Remove
                };
                let new = PileDecision {
                    is_taken: *is_taken,
                    limit: *limit,
                    by,
                };
                if state.piles[pile.0].is_taken != new.is_taken {
                    state.choices.retain(|(of, _), _| *of != pile.0);
                }
                state.piles[pile.0] = new;
                let is_new = state != *self.plain();
                assert_eq!(
                    self.decisions.decide(scan, "a step", &[(pile, new)]),
                    is_new
                );
                if is_new {
                    self.step(state);
                }
            }
            Deed::Choose(index, up, choice) => self.choose(scan, *index, *up, *choice),
            Deed::Exclude(spares) => {
                let exclusion = Exclusion {
                    spares: spares.clone(),
                    why: "a reason".to_owned(),
                    since: None,
                    scope: Scope::Computer,
                    is_suspended: false,
                };
                let Ok(found) = Excluded::find(scan, exclusion.clone()) else {
                    return;
                };
                let mut all = self.decisions.exclusions().to_vec();
                all.push(found);
                state.exclusions.push(exclusion);
                assert!(self.decisions.exclude(scan, "spared", all));
                self.step(state);
            }
            Deed::Suspend(index) | Deed::Delete(index) => {
                let mut all = self.decisions.exclusions().to_vec();
                if all.is_empty() {
                    return;
                }
                let at = index.index(all.len());
                if matches!(deed, Deed::Delete(_)) {
                    all.remove(at);
                    state.exclusions.remove(at);
                } else {
                    all[at].exclusion.is_suspended ^= true;
                    state.exclusions[at].is_suspended ^= true;
                }
                assert!(self.decisions.exclude(scan, "changed", all));
                self.step(state);
            }
            Deed::Rescan => {}
        }
    }

    /// Chooses for an item, or for a folder so far above it.
    fn choose(&mut self, scan: &Scan, index: Index, up: usize, choice: Option<Choice>) {
        let items: Vec<ItemId> = scan.arena.items().collect();
        if items.is_empty() {
            return;
        }
        let item = items[index.index(items.len())];
        let pile = scan.arena.pile(item);
        let mut folder = Some(scan.arena.folder(item));
        for _ in 1..up {
            folder = folder.and_then(|folder| scan.arena.parent_of(folder));
        }
        let node = match (up, folder) {
            (0, _) => Node::Item(item),
            (_, Some(folder)) => Node::Folder(pile, folder),
            (_, None) => return,
        };
        let path = node.path(scan);
        let mut state = self.plain().clone();
        state.choices.retain(|(of, known), _| {
            let known = TargetPath::new(known.clone()).unwrap();
            *of != pile.0 || known.below(&path).is_none()
        });
        if let Some(choice) = choice {
            state
                .choices
                .insert((pile.0, path.as_bytes().to_vec()), choice);
        }
        let is_new = state != *self.plain();
        let known = up
            .is_multiple_of(2)
            .then(|| PileIndex::of(scan, scan.pile(pile)));
        assert_eq!(
            self.decisions
                .choose(scan, "chosen", (node, choice), known.as_ref()),
            is_new
        );
        if is_new {
            self.step(state);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 192, ..ProptestConfig::default() })]

    #[test]
    fn prop_whatever_is_decided_the_sums_and_the_manifest_are_those_of_a_plain_count(
        tree in arb_tree(),
        deeds in prop::collection::vec(arb_deed(), 0..24),
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let mut scan = bench.scan();
        let mut twins = Twins::new(&scan);
        for deed in &deeds {
            if matches!(deed, Deed::Rescan) {
                let again = bench.scan();
                let fresh = Decisions::new(&again, &Selection::default()).unwrap();
                twins.decisions = fresh.carry_on(&again, &twins.decisions, &scan);
                scan = again;
            }
            twins.apply(&scan, deed);
            prop_assert_eq!(twins.decisions.takes_in_all(), twins.plain().recount(&scan), "after {:?}", deed);
        }
        let decisions = &twins.decisions;
        let plain = twins.plain();
        let manifest = make_manifest(&scan, decisions);
        let files: Vec<_> =
            manifest.items.iter().filter(|item| item.kind != EntryKind::Folder).collect();
        let going = |item: &ItemId| plain.goes(&scan, *item);
        let expected: BTreeSet<Vec<u8>> = scan.arena.items().filter(going)
            .map(|item| scan.arena.path(item).as_bytes().to_vec())
            .collect();
        let listed: BTreeSet<Vec<u8>> =
            files.iter().map(|item| item.path.as_bytes().to_vec()).collect();
        prop_assert_eq!(files.len(), listed.len(), "a path stands in it twice");
        prop_assert_eq!(&listed, &expected);
        prop_assert_eq!(files.iter().map(|item| item.bytes).sum::<u64>(), manifest.takes.bytes);
        prop_assert_eq!(manifest.takes, decisions.takes_in_all());
        for item in scan.arena.items() {
            let goes = matches!(decisions.standing(&scan, item), Disposition::Goes | Disposition::GoesByHand);
            prop_assert_eq!(goes, going(&item), "what is said of {}", scan.arena.path(item));
        }

        // Nothing guarded, nothing excluded, no place's root; a folder only when all in it goes.
        let mut guards = Guards::new(&scan.target.places, Vec::new());
        scan.searches.iter().for_each(|search| guards.add_root(search.root.clone()));
        let all = paths_of(&manifest);
        for item in &manifest.items {
            let number = scan.rules.by_id(&item.rule).unwrap();
            let rule = scan.rules.rule(number);
            let root = scan.searches.iter()
                .map(|search| &search.root).find(|root| item.path.below(root).is_some()).unwrap();
            prop_assert!(!guards.is_root(&item.path));
            prop_assert!(guards.path(&item.path, &rule.rule, root).is_none());
            let key = PileKey { rule: item.rule.clone(), account: item.account.clone() };
            let pile = scan.pile_of(&key).unwrap();
            prop_assert_eq!(item.by, plain.piles[pile.0].by);
            let age = Scan::age_of(item.time, scan.now);
            let size = (item.kind != EntryKind::Folder).then_some(item.size);
            prop_assert!(!plain.spares(&scan, pile, &item.path, size, age), "{} is excluded", item.path);
            if item.kind == EntryKind::Folder {
                let choice = plain.choice(pile, &item.path);
                prop_assert!(!matches!(choice, Some((Choice::Leave, _))), "{} was left", item.path);
                let folder = bench.root().join(std::ffi::OsStr::from_bytes(item.path.as_bytes()));
                for entry in std::fs::read_dir(folder).unwrap() {
                    let name = entry.unwrap().file_name();
                    let below = item.path.join(name.as_bytes()).unwrap();
                    prop_assert!(all.contains(below.as_bytes()), "{} stays in {}", below, item.path);
                }
            }
        }

        // All the way back, and all the way forth again.
        let end = twins.decisions.takes_in_all();
        let here = twins.at;
        while twins.decisions.undo(&scan).is_some() {}
        prop_assert_eq!(twins.decisions.takes_in_all(), twins.states[0].recount(&scan));
        prop_assert!(twins.decisions.exclusions().is_empty());
        for _ in 0..here {
            prop_assert!(twins.decisions.redo(&scan).is_some());
        }
        prop_assert_eq!(twins.decisions.takes_in_all(), end);
        prop_assert_eq!(make_manifest(&scan, &twins.decisions), manifest);
    }
}

#[test]
fn a_pile_with_something_spared_is_taken_in_part_and_its_folder_stays() {
    let bench = Bench::new();
    for name in ["job/keep.me", "job/go", "rest/go"] {
        bench
            .tree
            .file(format!("tmp/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let exclusions = vec![Exclusion::of_run("keep.*").unwrap()];
    let decisions = Decisions::new(
        &scan,
        &Selection {
            exclusions,
            ..Selection::default()
        },
    )
    .unwrap();
    let pile = scan
        .pile_of(&PileKey {
            rule: "linux/system-temp".into(),
            account: None,
        })
        .unwrap();
    assert_eq!(decisions.state(&scan, pile), PileState::Part);
    assert_eq!(
        decisions.takes(pile),
        Sum {
            items: 2,
            bytes: 8192
        }
    );
    let paths = paths_of(&make_manifest(&scan, &decisions));
    let expected = [&b"tmp/job/go"[..], b"tmp/rest", b"tmp/rest/go"].map(<[u8]>::to_vec);
    assert_eq!(paths, BTreeSet::from(expected));
}

#[test]
fn options_narrow_and_raise_but_never_hand_a_file_to_another_rule() {
    let bench = Bench::new();
    bench
        .tree
        .of_kind(
            "home/ada/.cache/thumbnails/large/a.png",
            "png",
            4096,
            100 * DAY,
        )
        .unwrap();
    bench
        .tree
        .file("home/ada/.cache/x/b", 4096, 100 * DAY)
        .unwrap();
    let scan = bench.scan();
    let number = |id: &str| scan.rules.by_id(id).unwrap();
    let items = |selection: Selection| {
        make_manifest(&scan, &Decisions::new(&scan, &selection).unwrap())
            .takes
            .items
    };
    assert_eq!(items(Selection::default()), 2);
    assert_eq!(
        items(Selection {
            only: vec![number("other-caches")],
            ..Selection::default()
        }),
        1
    );
    assert_eq!(
        items(Selection {
            skip: vec![number("picture-thumbnails")],
            ..Selection::default()
        }),
        1
    );
    let older_than = "4 months".parse().ok();
    assert_eq!(
        items(Selection {
            older_than,
            ..Selection::default()
        }),
        0
    );
    assert_eq!(
        items(Selection {
            accounts: vec![9],
            ..Selection::default()
        }),
        0
    );
}

#[test]
fn a_spared_thing_of_a_trash_keeps_what_describes_it() {
    let bench = Bench::new();
    let trash = "home/ada/.local/share/Trash";
    for name in ["mine", "rubbish"] {
        bench
            .tree
            .file(format!("{trash}/files/{name}"), 4096, 60 * DAY)
            .unwrap();
        let info = format!("[Trash Info]\nPath={name}\nDeletionDate=2026-01-01T00:00:00\n");
        bench
            .tree
            .text(format!("{trash}/info/{name}.trashinfo"), info, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let exclusions = vec![Exclusion::of_run("mine").unwrap()];
    let selection = Selection {
        exclusions,
        takes_all: true,
        ..Selection::default()
    };
    let manifest = make_manifest(&scan, &Decisions::new(&scan, &selection).unwrap());
    let paths = paths_of(&manifest);
    assert_eq!(paths.len(), 2, "{paths:?}");
    assert!(
        paths
            .iter()
            .all(|path| String::from_utf8_lossy(path).contains("rubbish"))
    );
}

#[test]
fn a_thing_chosen_in_a_trash_takes_what_describes_it_along() {
    let bench = Bench::new();
    let trash = "home/ada/.local/share/Trash";
    for name in ["whole/a", "whole/b", "torn/a", "torn/b", "other"] {
        bench
            .tree
            .file(format!("{trash}/files/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    for name in ["whole", "torn", "other"] {
        let info = format!("[Trash Info]\nPath={name}\nDeletionDate=2026-01-01T00:00:00\n");
        bench
            .tree
            .text(format!("{trash}/info/{name}.trashinfo"), info, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
    let rule = scan.rules.by_id("linux/trash").unwrap();
    let pile = (0..scan.piles.len())
        .map(PileId)
        .find(|id| scan.pile(*id).rule == rule && !scan.pile(*id).is_empty())
        .unwrap();
    let item = |path: &str| {
        let path = format!("{trash}/files/{path}");
        scan.arena
            .items()
            .find(|item| scan.arena.path(*item).as_bytes() == path.as_bytes())
            .unwrap()
    };
    let whole = Node::Folder(pile, scan.arena.folder(item("whole/a")));
    decisions.choose(&scan, "whole", (whole, Some(Choice::Take)), None);
    decisions.choose(
        &scan,
        "torn",
        (Node::Item(item("torn/a")), Some(Choice::Take)),
        None,
    );
    assert_eq!(decisions.state(&scan, pile), PileState::Part);
    let paths = |decisions: &Decisions| -> BTreeSet<String> {
        let all = paths_of(&make_manifest(&scan, decisions)).into_iter();
        let all = all.map(|path| String::from_utf8(path).unwrap());
        all.filter_map(|path| path.strip_prefix(&format!("{trash}/")).map(str::to_owned))
            .collect()
    };
    let expected = [
        "files/torn/a",
        "files/whole",
        "files/whole/a",
        "files/whole/b",
        "info/whole.trashinfo",
    ];
    assert_eq!(paths(&decisions), expected.map(str::to_owned).into());

    // The whole pile is taken, but for one file of a thing: what describes that stays, too.
    let decision = PileDecision {
        is_taken: true,
        ..decisions.of(pile)
    };
    decisions.decide(&scan, "all", &[(pile, decision)]);
    decisions.choose(
        &scan,
        "but",
        (Node::Item(item("torn/b")), Some(Choice::Leave)),
        None,
    );
    let left = paths(&decisions);
    assert!(
        !left.contains("info/torn.trashinfo") && !left.contains("files/torn"),
        "{left:?}"
    );
    assert!(
        left.contains("info/other.trashinfo") && left.contains("files/torn/a"),
        "{left:?}"
    );
}

#[test]
fn the_shop_starts_where_it_says_and_the_rules_where_it_is_silent() {
    let bench = Bench::new();
    bench.tree.file("tmp/a", 4096, 60 * DAY).unwrap();
    bench
        .tree
        .file("home/ada/.cache/x/b", 4096, 400 * DAY)
        .unwrap();
    let scan = bench.scan();
    let rule = |id: &str| scan.rules.rule(scan.rules.by_id(id).unwrap());
    let mut starts = Starts::default();
    let limit = |text: &str| text.parse::<AgeLimit>().ok();
    starts.set_class(
        Class::Spent,
        Start {
            is_taken: Some(false),
            limit: Some(limit("2 months").into()),
            by: None,
        },
    );
    let temp = rule("linux/system-temp");
    assert_eq!(
        starts.of(&temp.id, &temp.rule).limit,
        limit("2 months"),
        "the class raises it"
    );
    assert!(!starts.of(&temp.id, &temp.rule).is_taken);
    let start = Start {
        is_taken: Some(true),
        limit: Some(StartLimit::AnyAge),
        by: Some(Removal::Overwrite),
    };
    starts.set_rule(&temp.id, start);
    let own = starts.of(&temp.id, &temp.rule);
    assert!(own.is_taken && own.limit.is_none());
    assert_eq!(
        own.by,
        Removal::Remove,
        "what is nobody's is not written over"
    );
    let caches = rule("linux/program-caches");
    assert_eq!(
        starts.of(&caches.id, &caches.rule),
        Starts::built_in(&caches.rule)
    );
    // What a rule says itself goes before its class.
    let previous = scan
        .rules
        .iter()
        .map(|(_, rule)| rule)
        .find(|rule| rule.rule.starts_taken == Some(false));
    if let Some(rule) = previous {
        starts.set_class(
            rule.rule.class,
            Start {
                is_taken: Some(true),
                ..Start::default()
            },
        );
        assert!(!starts.of(&rule.id, &rule.rule).is_taken, "{}", rule.id);
    }
    let selection = Selection {
        starts,
        ..Selection::default()
    };
    let decisions = Decisions::new(&scan, &selection).unwrap();
    assert_eq!(decisions.takes_in_all().items, 2);
}

#[test]
fn an_empty_folder_below_one_that_is_left_stays_too() {
    let bench = Bench::new();
    bench.tree.file("tmp/kept/a", 4096, 60 * DAY).unwrap();
    bench.tree.file("tmp/gone/a", 4096, 60 * DAY).unwrap();
    for folder in ["tmp/kept/empty", "tmp/gone/empty"] {
        bench.tree.folder(folder).unwrap();
        let path = bench.tree.path(folder.as_bytes());
        let old = std::process::Command::new("touch")
            .args(["-d", "2020-01-01"])
            .arg(path)
            .status();
        assert!(old.unwrap().success());
    }
    let scan = bench.scan();
    let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
    let mut items = scan.arena.items();
    let kept = items.find(|item| scan.arena.path(*item).as_bytes() == b"tmp/kept/a");
    let kept = kept.unwrap();
    let node = Node::Folder(scan.arena.pile(kept), scan.arena.folder(kept));
    decisions.choose(&scan, "kept", (node, Some(Choice::Leave)), None);
    let paths = paths_of(&make_manifest(&scan, &decisions));
    let expected = [&b"tmp/gone"[..], b"tmp/gone/a", b"tmp/gone/empty"].map(<[u8]>::to_vec);
    assert_eq!(paths, BTreeSet::from(expected));
}
