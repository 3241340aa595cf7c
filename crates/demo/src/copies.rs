//! What is there twice on the till computer: a stick that was put down twice, pictures that were sorted out of it, notes that
//! two people are meant to have, and a film that nobody remembers.

use crate::DemoError;
use crate::contents::Chance;
use crate::media::{SongTags, flac, jpeg, mp3};
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
    songs(tree)?;
    small_pictures(tree)?;
    tree.of_kind(
        "home/pia/Videos/launch-day-2021.mkv",
        "",
        24 * MIB,
        1_500 * DAY,
    )?;
    Ok(())
}

/// What the harbour choir sings, and for how many seconds.
const SONGS: [(&str, u32); 6] = [
    ("Rope and Tar", 14),
    ("The Lee Shore", 17),
    ("Otter Quay", 12),
    ("Four Bells", 15),
    ("Cold Spring Tide", 13),
    ("Mend the Nets", 16),
];

/// The songs of the choir as pia has them, and as joss got them on his phone: smaller, one of them cut off.
fn songs(tree: &TreeBuilder) -> Result<(), DemoError> {
    for (number, (title, seconds)) in (0_u64..).zip(SONGS) {
        let artist = "Otter Quay Harbour Choir";
        let tags = SongTags { title, artist };
        let seed = 10_000 + 1_000 * number;
        let (own, ending) = if number < 4 {
            (flac(seed, tags, seconds), "flac")
        } else {
            (mp3(seed, tags, seconds, 320), "mp3")
        };
        let pia = format!("home/pia/Music/harbour choir/{title}.{ending}");
        tree.text(pia, own, 500 * DAY)?;
        let phone = mp3(seed + 500, tags, seconds, 128);
        let joss = format!("home/joss/Music/from phone/{:02} {title}.mp3", number + 1);
        tree.text(joss, phone, 380 * DAY)?;
    }
    Ok(())
}

/// Pictures of the prize giving, and the small ones of them that went to the club's page.
fn small_pictures(tree: &TreeBuilder) -> Result<(), DemoError> {
    for number in 0..5_u16 {
        let moment = format!("2025:09:06 17:{:02}:09", 10 + 3 * number);
        let taken = (&*moment, "Lanternfish 7");
        let seed = 40_000 + u64::from(number);
        let large = jpeg(seed, (4_000, 3_000), taken, 180 << 10);
        let small = jpeg(seed + 100, (1_280, 960), taken, 40 << 10);
        let pictures = "home/pia/Pictures";
        let name = format!("DSC_{:04}.JPG", 410 + number);
        tree.text(format!("{pictures}/prize giving/{name}"), large, 448 * DAY)?;
        let small_name = format!("{pictures}/for the club page/prize-{number}.jpg");
        tree.text(small_name, small, 447 * DAY)?;
    }
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
