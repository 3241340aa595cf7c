//! Bytes that somebody else wrote, made for the tests of those who read them.
//!
//! Every reader of foreign bytes has a test `fuzz_…`: ten thousand inputs each time, and as many as
//! `PROPTEST_CASES` says where that is set.

use crate::state::RunId;
use proptest::prelude::*;
use proptest::sample::Index;

/// As many inputs as are asked for, and ten thousand where nobody asks.
pub(crate) fn config() -> ProptestConfig {
    let asked = std::env::var("PROPTEST_CASES").ok();
    ProptestConfig {
        cases: asked.and_then(|text| text.parse().ok()).unwrap_or(10_000),
        failure_persistence: None,
        ..ProptestConfig::default()
    }
}

/// One change to a text.
#[derive(Clone, Debug)]
enum Change {
    Set(Index, u8),
    Insert(Index, Vec<u8>),
    Remove(Index, usize),
    /// A piece of it again and again.
    Repeat(Index, usize, usize),
    Cut(Index),
}

fn change() -> impl Strategy<Value = Change> {
    let bytes = prop_oneof![
        prop::collection::vec(any::<u8>(), 0..8),
        prop::sample::select(vec![
            b"\0".to_vec(),
            b"\xff\xff\xff\xff\xff\xff\xff\xff".to_vec(),
            b"\x7f\xff\xff\xff".to_vec(),
            b"../".to_vec(),
            b"18446744073709551615".to_vec(),
            b"-1".to_vec(),
            "\u{202e}\u{2028}".as_bytes().to_vec(),
        ]),
    ];
    prop_oneof![
        (any::<Index>(), any::<u8>()).prop_map(|(at, byte)| Change::Set(at, byte)),
        (any::<Index>(), bytes).prop_map(|(at, bytes)| Change::Insert(at, bytes)),
        (any::<Index>(), 1_usize..40).prop_map(|(at, len)| Change::Remove(at, len)),
        (any::<Index>(), 1_usize..40, 1_usize..60)
            .prop_map(|(at, len, times)| Change::Repeat(at, len, times)),
        any::<Index>().prop_map(Change::Cut),
    ]
}

fn apply(mut bytes: Vec<u8>, changes: &[Change]) -> Vec<u8> {
    for change in changes {
        let place = |at: &Index| at.index(bytes.len() + 1);
        match change {
            Change::Set(at, byte) => {
                let at = place(at);
                if let Some(there) = bytes.get_mut(at) {
                    *there = *byte;
                }
            }
            Change::Insert(at, more) => {
                let at = place(at);
                bytes.splice(at..at, more.iter().copied());
            }
            Change::Remove(at, len) => {
                let at = place(at);
                let end = (at + len).min(bytes.len());
                bytes.drain(at..end);
            }
            Change::Repeat(at, len, times) => {
                let at = place(at);
                let piece = bytes
                    .get(at..(at + len).min(bytes.len()))
                    .unwrap_or_default();
                let many = piece.repeat(*times);
                bytes.splice(at..at, many);
            }
            Change::Cut(at) => {
                let at = place(at);
                bytes.truncate(at);
            }
        }
    }
    bytes
}

/// Any bytes, and samples that somebody changed.
pub(crate) fn foreign(samples: &[&[u8]]) -> impl Strategy<Value = Vec<u8>> + use<> {
    let samples: Vec<Vec<u8>> = samples.iter().map(|sample| sample.to_vec()).collect();
    let changed = (
        prop::sample::select(samples),
        prop::collection::vec(change(), 0..6),
    )
        .prop_map(|(sample, changes)| apply(sample, &changes));
    prop_oneof![
        1 => prop::collection::vec(any::<u8>(), 0..300),
        9 => changed,
    ]
}

/// The same as text.
pub(crate) fn foreign_text(samples: &[&str]) -> impl Strategy<Value = String> + use<> {
    let samples: Vec<&[u8]> = samples.iter().map(|sample| sample.as_bytes()).collect();
    foreign(&samples).prop_map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
}

mod tests {
    use super::*;
    use crate::computer::TargetPath;
    use crate::decide::{Scope, read_exclusions, read_starts};
    use crate::dustpan::Pan;
    use crate::format::{Printable, is_harmless};
    use crate::plan::{MostRead, read_plan};
    use crate::rule::{AgeLimit, Rulebook};
    use crate::run::verify_log;
    use crate::state::StateFolder;

    proptest! {
        #![proptest_config(config())]

        #[test]
        fn fuzz_plans(bytes in foreign(&[
            b"{\"format\":\"jolly-broom/plan\",\"version\":1}\n{\"rule\":\"a/b\",\"path\":\"x\",\"bytes\":1}\n{\"seal\":\"00\"}\n",
        ])) {
            // Nobody seals by chance.
            let most = MostRead { bytes: 1 << 20, ..MostRead::default() };
            prop_assert!(read_plan(&bytes[..], most).is_err());
        }

        #[test]
        fn fuzz_kept_texts(text in foreign_text(&[
            "[[exclusion]]\npath = \"/home/ada/x\"\nuntil = 2026-01-01\n",
            "[class]\nfelt = \"left\"\n[rule]\n\"linux/old-logs\" = \"taken\"\n",
        ])) {
            if let Ok(all) = read_exclusions("x", &text, Scope::Everywhere) {
                let most = text.len();
                prop_assert!(all.len() <= most);
            }
            drop(read_starts("x", &text));
        }

        #[test]
        fn fuzz_rulebooks(text in foreign_text(&[
            "rulebook = \"shop\"\nlayout = \"linux\"\n[[rule]]\nid = \"one\"\ntitle = \"One\"\nclass = \"ask\"\nabout = \"a\"\n\
             after = \"b\"\nin = [\"{cache}/x*\", \"{home}/{a,b}\"]\ntake = [\"**/[a-z]*.{log,txt}\"]\nage = { limit = \"3 days\" }\n",
        ])) {
            if let Ok((book, _)) = Rulebook::parse("x.toml", &text) {
                for rule in &book.rules {
                    prop_assert!(rule.title.chars().all(is_harmless), "{:?}", rule.title);
                }
            }
        }

        #[test]
        fn fuzz_words(bytes in foreign(&[b"3 days", b"/home/ada/a/../b", "a\u{202e}b\x1b[2J".as_bytes()])) {
            let text = String::from_utf8_lossy(&bytes);
            drop(text.parse::<AgeLimit>());
            if let Ok(path) = TargetPath::from_inside(&bytes) {
                prop_assert!(path.parts().all(|part| !part.is_empty() && part != b".." && part != b"."));
            }
            prop_assert!(Printable(&bytes).to_string().chars().all(is_harmless));
        }
    }

    /// The lines of logs and records are read out of files: one file of each is changed again and again.
    #[test]
    fn fuzz_logs_and_records() {
        let dir = tempfile::tempdir().unwrap();
        let state = StateFolder::new(dir.path().join("state"));
        state.make().unwrap();
        let run: &RunId = &"2026-05-01T12-00-00Z-0001".parse().unwrap();
        let log = b"{\"line\":\"start\",\"format\":\"jolly-broom/log\",\"version\":1,\"run\":\"2026-05-01T12-00-00Z-0001\",\"seq\":0,\"prev\":\"\"}\n";
        let record = b"{\"line\":\"start\",\"format\":\"jolly-broom/dustpan\",\"version\":1,\"run\":\"2026-05-01T12-00-00Z-0001\",\"started\":\"2026-05-01T12:00:00Z\"}\n";
        let mut runner = proptest::test_runner::TestRunner::new(config());
        let ran = runner.run(&foreign(&[log, record]), |bytes| {
            std::fs::write(state.log(run), &bytes).unwrap();
            std::fs::write(state.dustpan_record(run), &bytes).unwrap();
            // What no run of ours wrote is no log of one, whatever it says.
            prop_assert!(verify_log(&state, run).is_err());
            prop_assert!(!matches!(Pan::read(&state, run), Ok(Some(_))));
            Ok(())
        });
        ran.unwrap();
    }
}
