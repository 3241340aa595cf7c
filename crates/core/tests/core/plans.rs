//! A plan reads back as it was written, and not otherwise.

use std::collections::BTreeSet;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::plan::{MostRead, PlanError, read_plan, write_plan, write_preview};
use jolly_core::run::SweepError;
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{Bench, arb_tree, build, manifest_of, paths_of, run, scan_on};

fn written(bench: &Bench) -> (jolly_core::plan::Manifest, Vec<u8>) {
    let manifest = manifest_of(&bench.scan(), true);
    let mut bytes = Vec::new();
    write_plan(&manifest, &mut bytes).unwrap();
    (manifest, bytes)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_a_plan_reads_back_and_one_altered_byte_is_refused(
        tree in arb_tree(), at in any::<prop::sample::Index>(), bit in 0_u8..8,
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let (manifest, mut bytes) = written(&bench);
        let read = read_plan(&bytes[..], MostRead::default()).unwrap();
        prop_assert_eq!(read, manifest);
        let at = at.index(bytes.len());
        bytes[at] ^= 1 << bit;
        prop_assert!(read_plan(&bytes[..], MostRead::default()).is_err());
    }

    #[test]
    fn prop_arbitrary_bytes_are_no_plan(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        prop_assert!(read_plan(&bytes[..], MostRead::default()).is_err());
    }
}

#[test]
fn a_plan_that_is_cut_short_or_goes_on_is_refused() {
    let bench = Bench::demo();
    let (manifest, bytes) = written(&bench);
    assert!(manifest.items.len() > 1000);
    let ends: Vec<usize> = bytes
        .iter()
        .enumerate()
        .filter(|(_, byte)| **byte == b'\n')
        .map(|(at, _)| at)
        .collect();
    for end in [
        0,
        10,
        ends[0] + 1,
        ends[ends.len() / 2] + 1,
        bytes.len() - 1,
    ] {
        assert!(
            read_plan(&bytes[..end], MostRead::default()).is_err(),
            "cut at {end}"
        );
    }
    let twice = [&bytes[..], &bytes[..]].concat();
    assert!(matches!(
        read_plan(&twice[..], MostRead::default()),
        Err(PlanError::Altered)
    ));
    assert!(
        read_plan(
            &bytes[..],
            MostRead {
                bytes: 1000,
                ..MostRead::default()
            }
        )
        .is_err(),
        "no more is read than allowed"
    );
}

#[test]
fn a_plan_that_is_altered_while_it_is_carried_out_ends_the_run_before_the_next_item() {
    for is_under_way in [false, true] {
        let bench = Bench::demo();
        let (whole, bytes) = written(&bench);
        let file = bench.root().with_file_name("plan.jsonl");
        std::fs::write(&file, &bytes).unwrap();
        let opened = std::fs::File::open(&file).unwrap();
        let most = MostRead {
            in_memory: 0,
            ..MostRead::default()
        };
        let manifest = read_plan(opened, most).unwrap();
        assert_eq!(manifest, whole);
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let scan = scan_on(
            &bench.target_on(Arc::<FaultyDisk>::clone(&disk)),
            &bench.rules(),
        );
        let before = bench.paths();
        // Another line than was shown, of the same length, at the end.
        let alter = move || {
            let file = std::fs::File::options().write(true).open(&file).unwrap();
            let at = bytes.len() as u64 - 2000;
            std::os::unix::fs::FileExt::write_all_at(&file, &[b' '; 1000], at).unwrap();
        };
        if is_under_way {
            disk.meddle(move |_| alter());
        } else {
            alter();
        }
        let swept = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
        assert!(gone.is_subset(&paths_of(&whole)));
        if is_under_way {
            let summary = swept.unwrap();
            let why = summary.broke_off.unwrap();
            assert!(why.contains("altered") && !gone.is_empty(), "{why}");
            assert!(gone.len() < paths_of(&whole).len());
        } else {
            assert!(matches!(swept, Err(SweepError::List { .. })));
            assert!(gone.is_empty());
        }
    }
}

#[test]
fn a_preview_is_one_object_a_line_whatever_the_names_are() {
    let bench = Bench::demo();
    let manifest = manifest_of(&bench.scan(), true);
    let mut bytes = Vec::new();
    write_preview(&manifest, &mut bytes).unwrap();
    let lines: Vec<serde_json::Value> = bytes
        .split(|byte| *byte == b'\n')
        .filter(|line| !line.is_empty())
        .map(|line| serde_json::from_slice(line).unwrap())
        .collect();
    assert_eq!(lines.len(), manifest.items.len() + 1);
    assert_eq!(lines[0]["format"], "jolly-broom/preview");
    let sum: u64 = lines[1..]
        .iter()
        .map(|line| line["bytes"].as_u64().unwrap())
        .sum();
    assert_eq!(Some(sum), lines[0]["totals"]["bytes"].as_u64());
    let strange = lines
        .iter()
        .filter(|line| line.get("path_base64").is_some())
        .count();
    assert_eq!(
        strange, 1,
        "the name that isn't UTF-8 has its exact bytes beside it"
    );
    assert!(
        !bytes.contains(&0x1b),
        "no escape sequence reaches whoever prints this"
    );
}
