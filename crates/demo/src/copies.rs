//! What is there twice on the till computer: a stick that was put down twice, pictures that were sorted out of it, notes that
//! two people are meant to have, and a film that nobody remembers.

use crate::DemoError;
use crate::contents::Chance;
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;
const MIB: u64 = 1 << 20;

/// Pictures on the stick.
const PICTURES: u64 = 40;

/// Every so many is edited where pia sorted them.
const EDITED: u64 = 9;

/// Pictures that the second copy of the stick lacks: joss stopped it.
const STOPPED: u64 = 6;

pub(crate) fn build(tree: &TreeBuilder) -> Result<(), DemoError> {
    // Of their own, so that all else stays as it is.
    let mut chance = Chance::new(4_177);
    let album = "DCIM/100REGAT";
    for number in 0..PICTURES {
        let size = chance.between(24 * KIB, 90 * KIB);
        let bytes = picture(number, size);
        let name = format!("IMG_{:04}.JPG", 1_200 + number);
        let taken = (420 + i64::try_from(number).unwrap_or(0)) * DAY;
        let stick = format!("home/joss/Downloads/stick/{album}/{name}");
        tree.text(stick, &bytes, taken)?;
        if number < PICTURES - STOPPED {
            let again = format!("home/joss/Documents/stick again/{album}/{name}");
            tree.text(again, &bytes, taken)?;
        }
        let is_edited = number % EDITED == EDITED - 1;
        let (bytes, age) = if is_edited {
            (picture(number + 1_000, size - 3 * KIB), 300 * DAY)
        } else {
            (bytes, taken)
        };
        tree.text(format!("home/pia/Pictures/regatta/{name}"), bytes, age)?;
    }
    for number in 0..5 {
        let own = format!("home/pia/Pictures/regatta/prize-giving-{number}.jpg");
        tree.text(own, picture(number + 2_000, 40 * KIB), 400 * DAY)?;
        let notes = format!("Safety notes, page {number}\n").repeat(80);
        for home in ["pia", "joss"] {
            let path = format!("home/{home}/Documents/safety/page-{number}.txt");
            tree.text(path, &notes, 700 * DAY)?;
        }
    }
    tree.of_kind(
        "home/pia/Videos/launch-day-2021.mkv",
        "",
        24 * MIB,
        1_500 * DAY,
    )?;
    Ok(())
}

/// The bytes of a picture: its head, and then what no two of them share.
fn picture(number: u64, size: u64) -> Vec<u8> {
    let mut bytes = b"\xff\xd8\xff\xe0\0\x10JFIF\0".to_vec();
    let mut state = number.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    while (bytes.len() as u64) < size {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        bytes.extend(state.to_le_bytes());
    }
    bytes
}
