use super::*;
use proptest::prelude::*;

fn arb_bytes(most: usize) -> impl Strategy<Value = Vec<u8>> {
    proptest::collection::vec(1..=255_u8, 1..most)
}

fn arb_entry() -> impl Strategy<Value = (ArchiveEntry, Vec<u8>)> {
    let attributes = proptest::collection::vec(
        (
            arb_bytes(20),
            proptest::collection::vec(any::<u8>(), 0..300),
        ),
        0..3,
    );
    let stamp = (-5_000_000_000_i64..5_000_000_000, 0_u32..1_000_000_000);
    (
        arb_bytes(400),
        (any::<u32>(), any::<u32>(), 0_u32..0o10000),
        (stamp.clone(), stamp),
        attributes,
        (
            proptest::option::of(arb_bytes(300)),
            proptest::option::of(any::<u64>()),
        ),
        proptest::collection::vec(any::<u8>(), 0..1500),
    )
        .prop_map(
            |(path, (user, group, mode), (one, other), attributes, (link, size), bytes)| {
                let stamp = |(seconds, nanos)| Stamp { seconds, nanos };
                let is_link = link.is_some();
                let entry = ArchiveEntry {
                    path,
                    body: match (link, size) {
                        (Some(link), _) => Body::Link(link),
                        (None, None) => Body::File(bytes.len() as u64),
                        (None, Some(size)) => Body::Sparse {
                            size,
                            stored: bytes.len() as u64,
                        },
                    },
                    metadata: Metadata {
                        user,
                        group,
                        mode,
                        accessed: stamp(one),
                        modified: stamp(other),
                        attributes: attributes
                            .into_iter()
                            .map(|(name, value)| Attribute { name, value })
                            .collect(),
                    },
                };
                (entry, if is_link { Vec::new() } else { bytes })
            },
        )
}

/// An archive of every kind of entry.
fn archives() -> impl Strategy<Value = Vec<u8>> {
    let pieces = [
        jolly_disk::Piece { at: 4096, len: 3 },
        jolly_disk::Piece { at: 9000, len: 2 },
    ];
    let map = crate::dustpan::sparse::map_of(&pieces, 1 << 40);
    arb_entry().prop_map(move |(entry, bytes)| {
        let mut archive = Vec::new();
        entry.write_head(&mut archive).unwrap();
        archive.extend_from_slice(&bytes);
        pad(&mut archive, bytes.len() as u64).unwrap();
        let stored = map.len() as u64 + 5;
        let sparse = ArchiveEntry {
            body: Body::Sparse {
                size: 1 << 40,
                stored,
            },
            ..entry
        };
        sparse.write_head(&mut archive).unwrap();
        archive.extend_from_slice(&map);
        archive.extend_from_slice(b"abcde");
        pad(&mut archive, stored).unwrap();
        archive
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn prop_whatever_bytes_names_and_attributes_hold_they_read_back(
        entries in proptest::collection::vec(arb_entry(), 0..6)
    ) {
        let mut archive = Vec::new();
        for (entry, bytes) in &entries {
            entry.write_head(&mut archive).unwrap();
            archive.extend_from_slice(bytes);
            pad(&mut archive, bytes.len() as u64).unwrap();
        }
        write_end(&mut archive).unwrap();
        let mut back = Vec::new();
        each_entry(&archive[..], &mut |entry, content| {
            let mut bytes = Vec::new();
            content.read_to_end(&mut bytes)?;
            back.push((entry, bytes));
            Ok(())
        })
        .unwrap();
        prop_assert_eq!(back, entries);
    }
}

proptest::proptest! {
    #![proptest_config(crate::fuzz::config())]

    #[test]
    fn fuzz_archives(bytes in archives().prop_flat_map(|archive| crate::fuzz::foreign(&[&archive]))) {
        // Whatever it holds, no more comes out than is in it, and no map leads out of its file.
        let mut read = 0_u64;
        let told = each_entry(&bytes[..], &mut |entry, content| {
            if let Body::Sparse { size, stored } = entry.body {
                let (pieces, map) = crate::dustpan::sparse::read_map(content, (size, stored))?;
                let ends = pieces.last().map_or(0, |last| last.at + last.len);
                assert!(ends <= size && map.len() as u64 <= stored);
            }
            read += io::copy(content, &mut io::sink())?;
            Ok(())
        });
        prop_assert!(read <= bytes.len() as u64, "{told:?}");
    }
}
