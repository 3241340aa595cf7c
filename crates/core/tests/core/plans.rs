//! A plan reads back as it was written, and not otherwise.

use jolly_core::plan::{MostRead, PlanError, read_plan, write_plan, write_preview};
use proptest::prelude::*;

use crate::support::{Bench, arb_tree, build, manifest_of};

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
        read_plan(&bytes[..], MostRead(1000)).is_err(),
        "no more is read than allowed"
    );
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
