//! Whether a recording goes on to the end that its head tells of: a download that broke off, or a disk that was full, leaves
//! the head and not the rest.

use std::io::{self, Read, Seek, SeekFrom};

use lofty::file::FileType;

/// How much of a FLAC's end is looked through: a frame is shorter than half of it.
const TAIL: u64 = 128 << 10;

/// Whether a file is shorter than it says; what doesn't say it isn't.
pub(super) fn is_cut_off<R: Read + Seek>(from: &mut R, file_type: FileType) -> bool {
    let looked = from.seek(SeekFrom::End(0)).and_then(|len| {
        from.rewind()?;
        match file_type {
            FileType::Flac => is_flac_cut_off(from, len),
            FileType::Wav => is_chunk_cut_off(from, len, u32::from_le_bytes),
            FileType::Aiff => is_chunk_cut_off(from, len, u32::from_be_bytes),
            FileType::Mp4 => is_box_cut_off(from, len),
            _ => Ok(false),
        }
    });
    // What ends in the middle of its head is cut off, too.
    looked.unwrap_or(true)
}

fn bytes<const N: usize>(from: &mut impl Read) -> io::Result<[u8; N]> {
    let mut read = [0; N];
    from.read_exact(&mut read)?;
    Ok(read)
}

/// Of RIFF and AIFF: the length of the one chunk that holds all.
fn is_chunk_cut_off<R: Read>(
    from: &mut R,
    len: u64,
    number: fn([u8; 4]) -> u32,
) -> io::Result<bool> {
    let _name: [u8; 4] = bytes(from)?;
    let told = u64::from(number(bytes(from)?));
    // Whoever writes to a pipe doesn't know it yet, and writes none or the most.
    let is_told = told > 0 && told < u64::from(u32::MAX) - 64;
    Ok(is_told && told + 8 > len)
}

/// Of MP4 (ISO/IEC 14496-12): the lengths of the boxes that follow each other.
fn is_box_cut_off<R: Read + Seek>(from: &mut R, len: u64) -> io::Result<bool> {
    let mut at = 0_u64;
    while at < len {
        from.seek(SeekFrom::Start(at))?;
        let short = u64::from(u32::from_be_bytes(bytes(from)?));
        let _name: [u8; 4] = bytes(from)?;
        let size = match short {
            // It goes on to the end.
            0 => return Ok(false),
            1 => u64::from_be_bytes(bytes(from)?),
            size => size,
        };
        let end = at.saturating_add(size);
        if size < 8 || end > len {
            return Ok(true);
        }
        at = end;
    }
    Ok(false)
}

/// Of FLAC (RFC 9639): whether the frame with the last of its samples is there.
fn is_flac_cut_off<R: Read + Seek>(from: &mut R, len: u64) -> io::Result<bool> {
    // A tag of another kind may stand before it.
    let start = match &bytes::<10>(from)? {
        [b'I', b'D', b'3', _, _, _, size @ ..] => {
            let size = size
                .iter()
                .fold(0_u64, |sum, byte| (sum << 7) | u64::from(byte & 0x7f));
            size + 10
        }
        _ => 0,
    };
    from.seek(SeekFrom::Start(start + 8))?;
    let info: [u8; 18] = bytes(from)?;
    let [_, _, most_high, most_low, _, _, _, _, _, _, packed @ ..] = info;
    let samples = u64::from_be_bytes(packed) & 0xf_ffff_ffff;
    let block = u64::from(u16::from_be_bytes([most_high, most_low]));
    if samples == 0 {
        return Ok(false);
    }
    from.seek(SeekFrom::Start(len.saturating_sub(TAIL)))?;
    let mut tail = Vec::new();
    from.take(TAIL).read_to_end(&mut tail)?;
    let mut starts = (0..tail.len()).rev();
    let has_last = starts.any(|at| {
        let frame = tail.get(at..).and_then(FrameHead::read);
        frame.is_some_and(|frame| frame.end(block) == samples)
    });
    Ok(!has_last)
}

/// The head of a frame of a FLAC.
struct FrameHead {
    /// The number of its first sample, or its own among frames of one length.
    number: u64,
    is_number_of_sample: bool,
    /// How many samples it has of each channel.
    block: u64,
}

impl FrameHead {
    /// Reads it where one begins: RFC 9639, section 9.1.
    fn read(from: &[u8]) -> Option<Self> {
        let [0xff, second @ (0xf8 | 0xf9), sizes, _, ..] = *from else {
            return None;
        };
        let first = *from.get(4)?;
        let more = match first.leading_ones() {
            0 => 0,
            ones @ 2..=7 => ones as usize - 1,
            _ => return None,
        };
        let mut number = u64::from(first) & (0x7f_u64 >> (more + usize::from(more > 0)));
        for byte in from.get(5..5 + more)? {
            number = (number << 6) | u64::from(byte & 0x3f);
        }
        let at = 5 + more;
        let (block, long) = match sizes >> 4 {
            1 => (192, 0),
            power @ 2..=5 => (144_u64 << power, 0),
            6 => (u64::from(*from.get(at)?) + 1, 1),
            7 => {
                let wide = [*from.get(at)?, *from.get(at + 1)?];
                (u64::from(u16::from_be_bytes(wide)) + 1, 2)
            }
            power @ 8..=15 => (1_u64 << power, 0),
            _ => return None,
        };
        let rate = match sizes & 0xf {
            12 => 1,
            13 | 14 => 2,
            _ => 0,
        };
        let end = at + long + rate;
        let head = from.get(..end)?;
        (crc8(head) == *from.get(end)?).then_some(Self {
            number,
            is_number_of_sample: second == 0xf9,
            block,
        })
    }

    /// The number of the sample behind its last, where frames are usually so long.
    fn end(&self, usual: u64) -> u64 {
        let first = if self.is_number_of_sample {
            self.number
        } else {
            self.number.saturating_mul(usual)
        };
        first.saturating_add(self.block)
    }
}

/// The check of a frame's head: the polynomial 0x07, from 0.
fn crc8(bytes: &[u8]) -> u8 {
    bytes.iter().fold(0, |crc, byte| {
        (0..8).fold(crc ^ byte, |crc, _| (crc << 1) ^ (7 * (crc >> 7)))
    })
}
