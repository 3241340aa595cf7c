//! Entries of lists: they go and come back one by one, whatever happens meanwhile, and what isn't theirs stays as it is.

use std::collections::{BTreeMap, BTreeSet};
use std::os::unix::fs::{MetadataExt as _, PermissionsExt};
use std::path::PathBuf;
use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::{EntryKind, TargetPath};
use jolly_core::decide::{
    Choice, Decisions, Excluded, Exclusion, Node, Scope, Selection, Spared, Spares, Spot,
};
use jolly_core::dustpan::{Pan, RestoreOutcome};
use jolly_core::pile::Scan;
use jolly_core::plan::{
    Manifest, MostRead, Outcome, make_manifest, read_plan, safety_copies, write_plan, write_preview,
};
use jolly_core::run::{
    RestoreOrder, RestoreSummary, RunContext, RunSummary, SameComputer, read_items, rehearse,
    restore,
};
use jolly_core::source::{ItemId, PileId};
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{
    Bench, DAY, NOW, bring_back, context, manifest_of, now, run, run_id, scan_on, settle_as_dead,
    unpacked,
};

const LIST: &str = "home/ada/.local/share/recently-used.xbel";

/// One entry of a made-up list.
#[derive(Clone, Debug)]
struct Made {
    days: i64,
    is_there: bool,
    is_dated: bool,
}

fn made() -> impl Strategy<Value = Made> {
    (0_i64..400, any::<bool>(), prop::bool::weighted(0.9)).prop_map(|(days, is_there, is_dated)| {
        Made {
            days,
            is_there,
            is_dated,
        }
    })
}

fn address(number: usize) -> String {
    format!("file:///home/ada/Documents/no%20{number}.odt")
}

fn entry(number: usize, made: &Made) -> String {
    let when = Timestamp::from_second(NOW - made.days * DAY).unwrap();
    let date = if made.is_dated {
        format!(" modified=\"{when}\"")
    } else {
        String::new()
    };
    let address = address(number);
    format!("<bookmark href=\"{address}\"{date}><title>&amp; {number}</title></bookmark>")
}

fn list_of<'a>(entries: impl Iterator<Item = &'a String>) -> String {
    let mut text = "<?xml version=\"1.0\"?>\n<xbel version=\"1.0\">\n  <!-- kept -->\n".to_owned();
    for entry in entries {
        text.extend(["  ", entry, "\n"]);
    }
    text + "  <folder><bookmark href=\"file:///kept\"/></folder>\n</xbel>\n"
}

fn path(bench: &Bench) -> PathBuf {
    bench.root().join(LIST)
}

fn text(bench: &Bench) -> String {
    std::fs::read_to_string(path(bench)).unwrap()
}

/// The addresses of a list that is whole, in its order.
fn addresses(text: &str) -> Vec<String> {
    assert!(
        text.starts_with("<?xml") && text.trim_end().ends_with("</xbel>"),
        "{text}"
    );
    let entries = text.split("<bookmark href=\"").skip(1);
    let mut found: Vec<String> = entries
        .map(|rest| rest.split('"').next().unwrap().to_owned())
        .filter(|address| address != "file:///kept")
        .collect();
    found.sort();
    found
}

/// A computer with a list of these entries, each third of whose documents is there.
fn bench_of(entries: &[Made]) -> (Bench, Vec<String>) {
    let bench = Bench::new();
    let texts: Vec<String> = entries
        .iter()
        .enumerate()
        .map(|(at, it)| entry(at, it))
        .collect();
    for (number, _) in entries.iter().enumerate().filter(|(_, it)| it.is_there) {
        let document = format!("home/ada/Documents/no {number}.odt");
        bench.tree.file(document, 10, 500 * DAY).unwrap();
    }
    bench.tree.folder("home/ada/Documents").unwrap();
    bench
        .tree
        .text(LIST, list_of(texts.iter()), 30 * DAY)
        .unwrap();
    (bench, texts)
}

fn some(many: usize) -> (Bench, Vec<String>) {
    let entries: Vec<Made> = (0..many)
        .map(|at| Made {
            days: 60 + i64::try_from(at).unwrap(),
            is_there: at % 3 == 0,
            is_dated: true,
        })
        .collect();
    bench_of(&entries)
}

fn back(bench: &Bench, scan: &Scan) -> RestoreSummary {
    bring_back(bench, scan, &|_| true)
}

/// A scan by a disk that fails when told to.
fn on_faulty_disk(bench: &Bench) -> (Arc<FaultyDisk>, Scan) {
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let scan = scan_on(
        &bench.target_on(Arc::<FaultyDisk>::clone(&disk)),
        &bench.rules(),
    );
    (disk, scan)
}

/// What was left beside a list that was made anew.
fn litter(bench: &Bench) -> Vec<Vec<u8>> {
    let is_ours = |path: &Vec<u8>| path.windows(13).any(|it| it == b".jolly-broom-");
    bench.paths().into_iter().filter(is_ours).collect()
}

fn sweep(bench: &Bench, scan: &Scan, manifest: &Manifest) -> RunSummary {
    run(bench, scan, manifest, "one", &CancelToken::default()).unwrap()
}

/// What became of each entry, by its address.
fn outcomes(bench: &Bench) -> BTreeMap<String, (Option<Outcome>, String)> {
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    items
        .into_iter()
        .filter(|item| item.kind == "entry")
        .map(|item| {
            assert_eq!(item.place.path.path, LIST);
            (item.place.within.unwrap(), (item.outcome, item.reason))
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_exactly_the_chosen_entries_go_and_come_back_and_the_rest_keeps_its_bytes(
        entries in prop::collection::vec(made(), 1..40),
        by_hand in prop::collection::vec(any::<prop::sample::Index>(), 0..6),
        takes_all in any::<bool>(),
    ) {
        let (bench, texts) = bench_of(&entries);
        std::fs::set_permissions(path(&bench), PermissionsExt::from_mode(0o640)).unwrap();
        let before = path(&bench).metadata().unwrap();
        let scan = bench.scan();
        let dated = entries.iter().filter(|it| it.is_dated).count() as u64;
        let found: u64 = scan.piles.iter().map(|pile| pile.found().items).sum();
        prop_assert_eq!(found, dated);
        let selection = Selection { takes_all, ..Selection::default() };
        let mut decisions = Decisions::new(&scan, &selection).unwrap();
        let items: Vec<ItemId> = scan.arena.items().collect();
        if !items.is_empty() {
            for index in by_hand {
                let item = *index.get(&items);
                let choice = if decisions.takes_item(&scan, item) { Choice::Leave } else { Choice::Take };
                decisions.choose(&scan, "one", (Node::Item(item), Some(choice)), None);
            }
        }
        let manifest = make_manifest(&scan, &decisions);
        let taken = (0..scan.piles.len()).map(|at| decisions.takes(PileId(at)).items).sum::<u64>();
        prop_assert_eq!(manifest.items.len() as u64, taken);
        prop_assert!(manifest.items.iter().all(|item| item.kind == EntryKind::ListEntry));
        let going: BTreeSet<usize> = (0..entries.len())
            .filter(|at| manifest.items.iter().any(|item| item.shown().ends_with(&format!(", {}", address(*at)))))
            .collect();
        prop_assert_eq!(going.len() as u64, taken);
        // What is gone is told apart, and young ones of it stay.
        for (at, made) in entries.iter().enumerate().filter(|(_, it)| it.is_dated) {
            let rule = manifest.items.iter().find(|item| item.shown().ends_with(&address(at))).map(|item| item.rule);
            if let Some(rule) = rule {
                prop_assert_eq!(&*rule == "linux/recently-used-gone", !made.is_there);
            }
        }
        let rehearsed = rehearse(
            &context(&scan), &manifest.clone().confirm(), None, &CancelToken::default(), &now, &|_| {},
        ).unwrap();
        let summary = sweep(&bench, &scan, &manifest);
        prop_assert_eq!(summary.sum(Outcome::SetAside).items, taken);
        prop_assert_eq!(rehearsed.summary.sum(Outcome::SetAside).items, taken);
        let kept = texts.iter().enumerate().filter(|(at, _)| !going.contains(at));
        prop_assert_eq!(text(&bench), list_of(kept.map(|(_, text)| text)));
        let after = path(&bench).metadata().unwrap();
        prop_assert_eq!((after.mode(), after.uid(), after.gid()), (before.mode(), before.uid(), before.gid()));
        prop_assert!(outcomes(&bench).values().all(|(outcome, _)| *outcome == Some(Outcome::SetAside)));
        if taken > 0 {
            let returned = back(&bench, &scan);
            prop_assert_eq!(returned.items.len() as u64, taken);
            prop_assert!(returned.items.iter().all(|(_, back)| *back == RestoreOutcome::There));
            // The bytes of each are what they were.
            let now = text(&bench);
            prop_assert!(texts.iter().all(|text| now.matches(text.as_str()).count() == 1));
            prop_assert_eq!(addresses(&now).len(), entries.len());
        }
        prop_assert!(litter(&bench).is_empty());
    }
}

/// A sweep with a fault at every call of the disk, one after the other, or one that is dead from there on.
fn at_every_call(has_died: bool) {
    let mut call = 1;
    loop {
        let (bench, texts) = some(6);
        let all = addresses(&text(&bench));
        let (disk, scan) = on_faulty_disk(&bench);
        let manifest = manifest_of(&scan, true);
        assert_eq!(manifest.items.len(), 6);
        let calls = disk.calls();
        if has_died {
            disk.die_at(call);
        } else {
            disk.fail_at(call);
        }
        let swept = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        let is_over = disk.calls() < calls + call;
        let whole = bench.scan();
        if swept.is_ok() && has_died {
            settle_as_dead(&bench, "one");
        }
        let left = addresses(&text(&bench));
        assert!(
            left.iter().all(|one| all.contains(one)),
            "call {call}: {left:?}"
        );
        if swept.is_ok() {
            for (address, (outcome, why)) in outcomes(&bench) {
                let is_gone = matches!(outcome, Some(Outcome::SetAside | Outcome::Removed));
                assert_eq!(
                    is_gone,
                    !left.contains(&address),
                    "call {call}: {address} {outcome:?} {why}"
                );
            }
        }
        let litter = litter(&bench);
        assert!(!has_died || litter.is_empty(), "call {call}: {litter:?}");
        if left != all {
            assert!(
                back(&bench, &whole)
                    .items
                    .iter()
                    .all(|(_, back)| back.is_back()),
                "call {call}"
            );
            let now = text(&bench);
            assert!(
                texts
                    .iter()
                    .all(|text| now.matches(text.as_str()).count() == 1)
            );
        }
        if is_over {
            assert!(call > 20, "{call}");
            return;
        }
        call += 1;
    }
}

#[test]
fn whatever_call_fails_the_list_is_the_old_or_the_new_one_and_the_log_says_which() {
    at_every_call(false);
}

#[test]
fn a_run_that_dies_at_any_call_is_settled_by_what_the_list_holds() {
    at_every_call(true);
}

#[test]
fn a_restore_that_fails_at_any_call_is_mended_by_the_next() {
    let mut call = 1;
    loop {
        let (bench, texts) = some(6);
        let scan = bench.scan();
        sweep(&bench, &scan, &manifest_of(&scan, true));
        let gone = text(&bench);
        let (disk, broken) = on_faulty_disk(&bench);
        let calls = disk.calls();
        disk.die_at(call);
        let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
        let order = RestoreOrder {
            state: &bench.state(),
            pan: &pan,
            target: &broken.target,
            when: now(),
            same: SameComputer::MustBeKnown,
        };
        drop(restore(
            &order,
            &|_| true,
            &CancelToken::default(),
            &|_, _| {},
        ));
        let is_over = disk.calls() < calls + call;
        let between = text(&bench);
        assert!(
            between == gone || addresses(&between).len() == texts.len(),
            "call {call}"
        );
        let again = back(&bench, &bench.scan());
        assert!(
            again
                .items
                .iter()
                .all(|(_, back)| *back == RestoreOutcome::There),
            "call {call}"
        );
        let now = text(&bench);
        assert!(
            texts
                .iter()
                .all(|text| now.matches(text.as_str()).count() == 1),
            "call {call}"
        );
        if is_over {
            assert!(call > 10, "{call}");
            return;
        }
        call += 1;
    }
}

#[test]
fn what_somebody_writes_in_the_last_moment_is_never_lost() {
    // Written anew beside and renamed, written in place, replaced by a link, taken away.
    for way in 0..4 {
        let (bench, _) = some(6);
        let (disk, scan) = on_faulty_disk(&bench);
        let manifest = manifest_of(&scan, true);
        let (list, theirs) = (
            path(&bench),
            list_of(std::iter::empty()).replace("kept", "theirs"),
        );
        let outside = bench.root().join("../precious.xbel");
        std::fs::write(&outside, &theirs).unwrap();
        let (there, linked) = (theirs.clone(), outside.clone());
        let done = std::sync::atomic::AtomicBool::new(false);
        disk.meddle(move |name| {
            if name.to_bytes() != b"recently-used.xbel"
                || done.swap(true, std::sync::atomic::Ordering::SeqCst)
            {
                return;
            }
            let beside = list.with_extension("new");
            match way {
                0 => {
                    std::fs::write(&beside, &there).unwrap();
                    std::fs::rename(&beside, &list).unwrap();
                }
                1 => std::fs::write(&list, &there).unwrap(),
                2 => {
                    std::os::unix::fs::symlink(&linked, &beside).unwrap();
                    std::fs::rename(&beside, &list).unwrap();
                }
                _ => std::fs::rename(&list, list.with_extension("away")).unwrap(),
            }
        });
        let summary = sweep(&bench, &scan, &manifest);
        assert_eq!(summary.sum(Outcome::SetAside).items, 0, "way {way}");
        assert_eq!(std::fs::read_to_string(&outside).unwrap(), theirs);
        if way < 3 {
            assert_eq!(text(&bench), theirs, "way {way}");
            assert!(
                outcomes(&bench)
                    .values()
                    .all(|(it, _)| *it == Some(Outcome::Changed)),
                "{:?}",
                outcomes(&bench)
            );
        } else {
            assert!(!path(&bench).exists());
        }
        assert!(litter(&bench).is_empty(), "way {way}");
    }
}

#[test]
fn a_list_that_is_no_list_or_too_much_of_one_is_left_alone_and_says_why() {
    let many = format!(
        "<xbel>{}</xbel>",
        "<bookmark href=\"file:///a\" added=\"2020-01-01T00:00:00Z\"/>".repeat(70_000)
    );
    let huge = format!("<xbel>{}</xbel>", " ".repeat(17 << 20));
    let utf16: Vec<u8> = "<xbel/>"
        .encode_utf16()
        .flat_map(u16::to_le_bytes)
        .collect();
    let deep = "<xbel>".to_owned() + &"<a>".repeat(100_000);
    for (bytes, why) in [
        (b"<xbel><bookmark href=\"a\">".to_vec(), "well-formed"),
        (many.into_bytes(), "entries"),
        (huge.into_bytes(), "larger than"),
        (utf16, "XBEL"),
        (deep.into_bytes(), "deep"),
        (
            b"<!DOCTYPE xbel [<!ENTITY a \"b\">]><xbel>&a;</xbel>".to_vec(),
            "names of its own",
        ),
        (
            b"<xbel><bookmark href=\"file:///x\"/></xbel>".to_vec(),
            "no date",
        ),
        (b"\xff\xfe\x00".to_vec(), "UTF-8"),
    ] {
        let bench = Bench::new();
        bench.tree.text(LIST, &bytes, 30 * DAY).unwrap();
        let scan = bench.scan();
        assert_eq!(manifest_of(&scan, true).items.len(), 0);
        let told = scan
            .unread
            .iter()
            .find(|it| it.place.ends_with("recently-used.xbel"));
        assert!(
            told.is_some_and(|it| it.reason.contains(why)),
            "{why}: {:?}",
            scan.unread
        );
        assert_eq!(std::fs::read(path(&bench)).unwrap(), bytes);
    }
    // A list with another name would be parted from it; what is no file is no list.
    let (bench, _) = some(3);
    std::fs::hard_link(path(&bench), bench.root().join("home/ada/other")).unwrap();
    assert_eq!(manifest_of(&bench.scan(), true).items.len(), 0);
    std::fs::rename(path(&bench), bench.root().join("home/ada/third")).unwrap();
    std::os::unix::fs::symlink("/etc/passwd", path(&bench)).unwrap();
    assert_eq!(manifest_of(&bench.scan(), true).items.len(), 0);
}

#[test]
fn a_plan_of_entries_says_all_and_is_believed_nothing() {
    let (bench, _) = some(6);
    bench.tree.file("tmp/old", 4096, 60 * DAY).unwrap();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let mut plan = Vec::new();
    write_plan(&manifest, &mut plan).unwrap();
    assert_eq!(read_plan(&plan[..], MostRead::default()).unwrap(), manifest);
    let mut preview = Vec::new();
    write_preview(&manifest, &mut preview).unwrap();
    let preview = String::from_utf8(preview).unwrap();
    assert!(preview.contains("\"kind\":\"entry\",\"path\":\"home/ada/.local/share/recently-used.xbel\",\"in\":\"file:///home/ada/Documents/no%201.odt\""));
    // Forged: the list as a file, an entry of a file that no rule wants entries of, an entry that isn't there.
    let (entry, file) = (
        manifest
            .items
            .iter()
            .find(|item| item.entry.is_some())
            .unwrap(),
        manifest
            .items
            .iter()
            .find(|item| item.kind == EntryKind::File)
            .unwrap(),
    );
    let mut as_file = entry.clone();
    as_file.path = TargetPath::new(LIST).unwrap();
    as_file.kind = EntryKind::File;
    as_file.entry = None;
    let mut of_file = file.clone();
    of_file.path = file.path.join(b"x").unwrap();
    of_file.kind = EntryKind::ListEntry;
    of_file.entry = entry.entry;
    let mut renamed = entry.clone();
    renamed.path = TargetPath::new(format!("{LIST}/other")).unwrap();
    for (name, forged) in [("one", as_file), ("two", of_file), ("three", renamed)] {
        let mut altered = manifest.clone();
        altered.items = std::iter::once(forged).collect();
        let before = (bench.paths(), text(&bench));
        let never = CancelToken::default();
        let summary = run(&bench, &scan, &altered, name, &never).unwrap();
        assert!(summary.has_stayed(), "{:?}", summary.outcomes);
        assert_eq!((bench.paths(), text(&bench)), before);
    }
}

#[test]
fn what_a_list_has_beside_its_text_stays_with_it() {
    let (bench, _) = some(6);
    let list = path(&bench);
    let (name, value) = (c"user.note", b"kept");
    rustix::fs::setxattr(&list, name, value, rustix::fs::XattrFlags::empty()).unwrap();
    // Only the administrator gives files away.
    let _is_root = std::os::unix::fs::chown(&list, Some(1001), Some(1002)).is_ok();
    std::fs::set_permissions(&list, PermissionsExt::from_mode(0o604)).unwrap();
    let seen = |path: &std::path::Path| {
        let metadata = path.metadata().unwrap();
        (metadata.uid(), metadata.gid(), metadata.mode())
    };
    let note = || {
        let mut note = [0; 16];
        let len = rustix::fs::getxattr(&list, name, &mut note).unwrap();
        note[..len].to_vec()
    };
    let before = seen(&list);
    let scan = bench.scan();
    sweep(&bench, &scan, &manifest_of(&scan, true));
    assert!(addresses(&text(&bench)).is_empty());
    assert_eq!((seen(&list), note()), (before, value.to_vec()));
    back(&bench, &scan);
    assert_eq!((seen(&list), note()), (before, value.to_vec()));
    // Without a list to go back to, one is made as that was.
    std::fs::rename(&list, list.with_extension("away")).unwrap();
    let returned = back(&bench, &scan);
    assert!(returned.items.iter().all(|(_, back)| back.is_back()));
    assert_eq!(seen(&list), before);
}

#[test]
fn a_list_that_changed_since_it_was_shown_stays() {
    let (bench, texts) = some(6);
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let changed = list_of(texts.iter().rev());
    std::fs::write(path(&bench), &changed).unwrap();
    let summary = sweep(&bench, &scan, &manifest);
    assert_eq!(summary.sum(Outcome::Changed).items, 6);
    assert_eq!(text(&bench), changed);
    assert!(
        outcomes(&bench)
            .values()
            .all(|(_, why)| why == "its list or database changed since")
    );
}

#[test]
fn entries_are_spared_by_their_list_their_name_or_since() {
    let (bench, _) = some(6);
    let scan = bench.scan();
    let exclusion = |spot: Spot| Exclusion {
        spares: Spares {
            spot: Some(spot),
            ..Spares::default()
        },
        why: String::new(),
        since: None,
        scope: Scope::Run,
        is_suspended: false,
    };
    let spares = |spot: Spot| {
        Excluded::find(&scan, exclusion(spot))
            .unwrap()
            .reach
            .found
            .items
    };
    let at = |path: &str| Spot::Path(TargetPath::new(path).unwrap());
    assert_eq!(spares(at(LIST)), 6);
    assert_eq!(spares(at("home/ada/.local")), 6);
    let glob = |text: &str| Spot::Pattern(text.to_owned());
    assert_eq!(spares(glob("**/recently-used.xbel/*no%202.odt")), 1);
    assert_eq!(spares(glob("**/recently-used.xbel")), 6);
    // Excluded after the list was made: it stays, and says so.
    let manifest = manifest_of(&scan, true);
    let one = manifest.items.get(0).unwrap();
    let excluded = Spared::of(
        &[exclusion(Spot::Path(one.path.clone()))],
        scan.target.layout,
    )
    .unwrap();
    let context = RunContext {
        excluded: &excluded,
        ..context(&scan)
    };
    let never = CancelToken::default();
    let rehearsed = rehearse(&context, &manifest.confirm(), None, &never, &now, &|_| {}).unwrap();
    assert_eq!(rehearsed.summary.sum(Outcome::Changed).items, 1);
    assert_eq!(rehearsed.summary.sum(Outcome::SetAside).items, 5);
}

#[test]
fn what_goes_back_meets_a_list_that_has_moved_on() {
    let started = |change: &dyn Fn(&Bench, &[String])| {
        let (bench, texts) = some(6);
        let scan = bench.scan();
        sweep(&bench, &scan, &manifest_of(&scan, true));
        change(&bench, &texts);
        let returned = back(&bench, &scan);
        let kinds: BTreeSet<String> = returned
            .items
            .iter()
            .map(|(_, it)| it.name().to_owned())
            .collect();
        (bench, texts, kinds)
    };
    // Its own program has opened one of them again, and another one.
    let (bench, texts, kinds) = started(&|bench, _| {
        let again = entry(
            2,
            &Made {
                days: 0,
                is_there: false,
                is_dated: true,
            },
        );
        let new = entry(
            90,
            &Made {
                days: 0,
                is_there: false,
                is_dated: true,
            },
        );
        std::fs::write(path(bench), list_of([again, new].iter())).unwrap();
    });
    assert_eq!(
        kinds,
        BTreeSet::from(["brought-back".to_owned(), "exists".to_owned()])
    );
    let now = text(&bench);
    assert_eq!(addresses(&now).len(), 7);
    assert!(!now.contains(&texts[2]) && now.contains(&texts[3]));
    // It is gone with its folder.
    let (bench, texts, kinds) = started(&|bench, _| {
        let folder = path(bench).parent().unwrap().to_owned();
        std::fs::rename(&folder, folder.with_extension("away")).unwrap();
    });
    assert!(kinds.contains("brought-back"), "{kinds:?}");
    assert!(texts.iter().all(|entry| text(&bench).contains(entry)));
    // It can't be read, or is a link by now: it stays as it is.
    let (bench, _, kinds) = started(&|bench, _| std::fs::write(path(bench), "<xbel>").unwrap());
    assert_eq!(kinds, BTreeSet::from(["failed".to_owned()]));
    assert_eq!(text(&bench), "<xbel>");
    let (bench, _, kinds) = started(&|bench, _| {
        let elsewhere = bench.root().join("../precious.xbel");
        std::fs::rename(path(bench), &elsewhere).unwrap();
        std::os::unix::fs::symlink(&elsewhere, path(bench)).unwrap();
    });
    assert_eq!(kinds, BTreeSet::from(["failed".to_owned()]));
    assert!(addresses(&std::fs::read_to_string(path(&bench)).unwrap()).is_empty());
}

/// Who opens what: what is gone goes out of the line that names it, and comes back into one that was changed since.
#[test]
fn openers_that_are_gone_go_and_come_back_and_nothing_is_said_where_programs_may_be_elsewhere() {
    let bench = Bench::new();
    let list = "home/ada/.config/mimeapps.list";
    let text = "[Default Applications]\ntext/plain=pad.desktop;old-pad.desktop;\nimage/png=old.desktop\n\n\
                # own\n[Removed Associations]\ntext/plain=old.desktop\n";
    bench.tree.text(list, text, 30 * DAY).unwrap();
    let found = || -> Vec<String> {
        let manifest = manifest_of(&bench.scan(), true);
        manifest.items.iter().map(|item| item.shown()).collect()
    };
    assert!(found().is_empty(), "the programs' own folder isn't here");
    bench
        .tree
        .text("usr/share/applications/pad.desktop", "x", DAY)
        .unwrap();
    let both = [
        format!("{list}, old.desktop opens image/png"),
        format!("{list}, old-pad.desktop opens text/plain"),
    ];
    let mut told = found();
    told.sort();
    assert_eq!(told, {
        let mut both = both.to_vec();
        both.sort();
        both
    });
    // A dash may stand for a folder, and what keeps programs elsewhere says nothing of this.
    bench
        .tree
        .text("usr/share/applications/old/pad.desktop", "x", DAY)
        .unwrap();
    assert_eq!(found(), [both[0].clone()]);
    bench.tree.folder("nix/store").unwrap();
    assert!(found().is_empty());
    std::fs::rename(bench.root().join("nix"), bench.root().join("away")).unwrap();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let copies = safety_copies(&scan.target, &manifest);
    assert_eq!((copies.lists.len(), copies.bytes), (1, text.len() as u64));
    sweep(&bench, &scan, &manifest);
    let kept = unpacked(&bench);
    assert!(
        kept.iter().any(|bytes| bytes == text.as_bytes()),
        "the whole of it first"
    );
    let path = bench.root().join(list);
    let left = text.replace("image/png=old.desktop\n", "");
    assert_eq!(std::fs::read_to_string(&path).unwrap(), left);
    let own = left.replace("# own\n", "# own\nx/y=z.desktop\n");
    std::fs::write(&path, &own).unwrap();
    let returned = back(&bench, &scan);
    assert!(
        returned
            .items
            .iter()
            .all(|(_, back)| *back == RestoreOutcome::There)
    );
    let wanted = own.replace(
        "[Default Applications]\n",
        "[Default Applications]\nimage/png=old.desktop\n",
    );
    assert_eq!(std::fs::read_to_string(&path).unwrap(), wanted);
}
