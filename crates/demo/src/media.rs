//! Recordings and pictures that tell of themselves what real ones do, with noise in place of music and light.

use std::io::Cursor;

use exif::experimental::Writer;
use exif::{Field, In, Tag, Value};

/// A title, and who plays.
#[derive(Clone, Copy, Debug)]
pub struct SongTags<'a> {
    /// The title.
    pub title: &'a str,
    /// Who plays.
    pub artist: &'a str,
}

/// Bytes that no two numbers share, without one that begins a frame or a marker.
fn noise(number: u64, many: usize) -> impl Iterator<Item = u8> {
    let mut state = number.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    let bytes = std::iter::repeat_with(move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state.to_le_bytes().map(|byte| byte & 0x7f)
    });
    bytes.flatten().take(many)
}

/// A length in 7 bits a byte, as ID3 writes it.
fn synchsafe(len: usize) -> [u8; 4] {
    [21, 14, 7, 0].map(|shift| u8::try_from((len >> shift) & 0x7f).unwrap_or(0))
}

/// A length in three bytes, the most first.
fn three_bytes(len: usize) -> [u8; 3] {
    [16, 8, 0].map(|shift| u8::try_from((len >> shift) & 0xff).unwrap_or(0))
}

/// An MP3 (ISO/IEC 11172-3, tags by ID3v2.4) of so many seconds, at 128, 192 or 320 kilobits a second.
pub fn mp3(number: u64, tags: SongTags<'_>, seconds: u32, kbps: u32) -> Vec<u8> {
    let mut frames = Vec::new();
    for (id, text) in [("TIT2", tags.title), ("TPE1", tags.artist)] {
        frames.extend(id.as_bytes());
        frames.extend(synchsafe(text.len() + 1));
        // No flags; the text is UTF-8.
        frames.extend([0, 0, 3]);
        frames.extend(text.as_bytes());
    }
    let mut bytes = b"ID3\x04\0\0".to_vec();
    bytes.extend(synchsafe(frames.len()));
    bytes.extend(frames);
    let (rate, index) = match kbps {
        ..160 => (128, 9),
        160..256 => (192, 11),
        _ => (320, 14),
    };
    // Of layer III at 44.1 kHz: 1152 samples a frame.
    let len = 144 * rate * 1000 / 44_100;
    let many = u64::from(seconds) * 44_100 / 1_152;
    for frame in 0..many {
        bytes.extend([0xff, 0xfb, index << 4, 0]);
        bytes.extend(noise(number + frame, len - 4));
    }
    bytes
}

/// A FLAC (RFC 9639) of so many seconds.
pub fn flac(number: u64, tags: SongTags<'_>, seconds: u32) -> Vec<u8> {
    let mut info = Vec::new();
    info.extend(4_096_u16.to_be_bytes());
    info.extend(4_096_u16.to_be_bytes());
    info.extend([0; 6]);
    // 44.1 kHz in 20 bits, two channels in 3, 16 bits a sample in 5, and the number of samples in 36.
    let samples = u64::from(seconds) * 44_100;
    let packed = (44_100_u64 << 44) | (1 << 41) | (15 << 36) | samples;
    info.extend(packed.to_be_bytes());
    info.extend([0; 16]);
    let mut comments = Vec::new();
    let vendor = b"made up";
    let mut text = |text: &[u8]| {
        comments.extend(u32::try_from(text.len()).unwrap_or(0).to_le_bytes());
        comments.extend(text);
    };
    text(vendor);
    let own = [
        format!("TITLE={}", tags.title),
        format!("ARTIST={}", tags.artist),
    ];
    let mut list = Vec::new();
    for comment in &own {
        list.extend(u32::try_from(comment.len()).unwrap_or(0).to_le_bytes());
        list.extend(comment.as_bytes());
    }
    comments.extend(2_u32.to_le_bytes());
    comments.extend(list);
    let mut bytes = b"fLaC\0".to_vec();
    bytes.extend(three_bytes(info.len()));
    bytes.extend(info);
    // The last of the blocks before the sound.
    bytes.push(0x84);
    bytes.extend(three_bytes(comments.len()));
    bytes.extend(comments);
    bytes.extend(noise(number, seconds as usize * 40_000));
    bytes.extend(last_frame(samples));
    bytes.extend(noise(number + 1, 900));
    bytes
}

/// The head of the frame with the last samples: frames of 4096, and what is left.
fn last_frame(samples: u64) -> Vec<u8> {
    let (number, rest) = (samples / 4_096, samples % 4_096);
    // A length of its own in two bytes, 44.1 kHz, two channels, 16 bits.
    let mut head = vec![0xff, 0xf8, 0x79, 0x18];
    let letter = u32::try_from(number).ok().and_then(char::from_u32);
    let mut coded = [0; 4];
    head.extend(letter.unwrap_or('\0').encode_utf8(&mut coded).bytes());
    let len = u16::try_from(rest.saturating_sub(1)).unwrap_or(0);
    head.extend(len.to_be_bytes());
    let step = |crc: u8, _| (crc << 1) ^ (7 * (crc >> 7));
    let crc = head
        .iter()
        .fold(0, |crc, byte| (0..8).fold(crc ^ byte, step));
    head.push(crc);
    head
}

/// A JPEG (ITU-T T.81, camera data by Exif) of so many points, taken at `moment` (`2024:06:01 10:00:00`) with `camera`.
pub fn jpeg(
    number: u64,
    (wide, high): (u16, u16),
    (moment, camera): (&str, &str),
    len: usize,
) -> Vec<u8> {
    let field = |tag, text: &str| Field {
        tag,
        ifd_num: In::PRIMARY,
        value: Value::Ascii(vec![text.as_bytes().to_vec()]),
    };
    let fields = [
        field(Tag::Model, camera),
        field(Tag::DateTimeOriginal, moment),
    ];
    let mut writer = Writer::new();
    for field in &fields {
        writer.push_field(field);
    }
    let mut told = Cursor::new(Vec::new());
    // A picture that tells nothing of itself is still a picture.
    drop(writer.write(&mut told, false));
    let told = told.into_inner();
    let mut bytes = vec![0xff, 0xd8, 0xff, 0xe1];
    let marked = u16::try_from(told.len() + 8).unwrap_or(0);
    bytes.extend(marked.to_be_bytes());
    bytes.extend(b"Exif\0\0");
    bytes.extend(told);
    bytes.extend([0xff, 0xc0, 0, 17, 8]);
    bytes.extend(high.to_be_bytes());
    bytes.extend(wide.to_be_bytes());
    bytes.extend([3, 1, 0x22, 0, 2, 0x11, 1, 3, 0x11, 1]);
    bytes.extend([0xff, 0xda, 0, 12, 3, 1, 0, 2, 0x11, 3, 0x11, 0, 63, 0]);
    bytes.extend(noise(number, len));
    bytes.extend([0xff, 0xd9]);
    bytes
}
