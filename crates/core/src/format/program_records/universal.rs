//! Programs that hold parts for several processors (Mach-O universal files, `<mach-o/fat.h>`): which, and how large.

/// The first bytes of one are enough.
pub(crate) const UNIVERSAL_HEAD: usize = 4096;

/// A part for one processor.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProcessorPart {
    /// The processor's architecture, as its makers and systems call it.
    pub processor: &'static str,
    /// How large it is, in bytes.
    pub bytes: u64,
}

/// More parts are in no program; what begins the same and says more is something else.
const MOST_PARTS: u32 = 16;

/// The parts of a program of so many bytes, from its first ones; none where it is no such file.
pub(crate) fn processor_parts(head: &[u8], size: u64) -> Option<Vec<ProcessorPart>> {
    let word = |at: usize| -> Option<u32> {
        let bytes = head.get(at..at.checked_add(4)?)?;
        Some(u32::from_be_bytes(bytes.try_into().ok()?))
    };
    let long = |at: usize| Some(u64::from(word(at)?) << 32 | u64::from(word(at.checked_add(4)?)?));
    let is_wide = match word(0)? {
        0xcafe_babe => false,
        0xcafe_babf => true,
        _ => return None,
    };
    let many = word(4)?;
    if !(1..=MOST_PARTS).contains(&many) {
        return None;
    }
    let row = if is_wide { 32 } else { 20 };
    let mut parts = Vec::new();
    for number in 0..usize::try_from(many).ok()? {
        let at = 8 + number * row;
        let (from, bytes) = if is_wide {
            (long(at + 8)?, long(at + 16)?)
        } else {
            (u64::from(word(at + 8)?), u64::from(word(at + 12)?))
        };
        // What lies outside of the file isn't there, whatever its table says.
        if from.checked_add(bytes).is_none_or(|end| end > size) {
            return None;
        }
        parts.push(ProcessorPart {
            processor: processor(word(at)?)?,
            bytes,
        });
    }
    Some(parts)
}

/// What a processor is called (`<mach/machine.h>`).
fn processor(kind: u32) -> Option<&'static str> {
    Some(match kind {
        7 => "i386",
        0x0100_0007 => "x86_64",
        12 => "arm",
        0x0100_000c => "arm64",
        0x0200_000c => "arm64_32",
        18 => "ppc",
        0x0100_0012 => "ppc64",
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn head(parts: &[(u32, u32, u32)]) -> Vec<u8> {
        let many = u32::try_from(parts.len()).unwrap();
        let mut head = [0xcafe_babe_u32, many].map(u32::to_be_bytes).concat();
        for (processor, from, bytes) in parts {
            head.extend(
                [*processor, 3, *from, *bytes, 14]
                    .map(u32::to_be_bytes)
                    .concat(),
            );
        }
        head
    }

    #[test]
    fn a_program_for_two_processors_is_told_apart_from_what_begins_the_same() {
        let two = head(&[(0x0100_0007, 4096, 1000), (0x0100_000c, 8192, 2000)]);
        let parts = processor_parts(&two, 20_000).unwrap();
        let told: Vec<(&str, u64)> = parts.iter().map(|it| (it.processor, it.bytes)).collect();
        assert_eq!(told, [("x86_64", 1000), ("arm64", 2000)]);
        assert_eq!(
            processor_parts(&two, 9_000),
            None,
            "it says more than it holds"
        );
        // A class of another system begins the same: its version stands where parts are counted.
        assert_eq!(
            processor_parts(&[0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, 61], 9_000),
            None
        );
        assert_eq!(processor_parts(b"#!/bin/sh", 9), None);
    }

    proptest! {
        #[test]
        fn fuzz_any_bytes_are_read_without_harm(bytes in prop::collection::vec(any::<u8>(), 0..200), size: u64) {
            let mut head = vec![0xca, 0xfe, 0xba, 0xbe];
            head.extend(bytes);
            if let Some(parts) = processor_parts(&head, size) {
                prop_assert!(parts.iter().all(|part| part.bytes <= size));
            }
        }
    }
}
