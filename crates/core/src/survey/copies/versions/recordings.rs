//! Recordings: what they tell of themselves, and which of two is surely better.

use std::io::{BufRead, Seek};

use lofty::config::ParseOptions;
use lofty::file::{AudioFile as _, FileType, TaggedFileExt as _};
use lofty::probe::Probe;
use lofty::tag::Accessor as _;

use crate::format::Printable;
use crate::survey::copies::versions::whole::is_cut_off;
use crate::survey::copies::versions::{Version, VersionFacts, VersionGroup, by_key};

/// How much longer one recording may be than another that is the same, in milliseconds.
const ALIKE: u64 = 2_000;

/// What a recording tells of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Recording {
    /// Its title, made harmless.
    pub title: String,
    /// Who plays or speaks, made harmless.
    pub artist: String,
    /// Its length in milliseconds.
    pub millis: u64,
    /// Its format, in letters.
    pub format: &'static str,
    /// Whether nothing was left out to make it smaller.
    pub is_lossless: bool,
    /// Kilobits a second; of one that is lossless it says nothing of how good it is.
    pub kbps: Option<u32>,
    /// Samples a second, and bits a sample where it tells.
    pub samples: (u32, Option<u8>),
    /// How many things its tags tell.
    pub tags: u32,
    /// Whether it is much shorter than it says.
    pub is_cut_off: bool,
}

/// Reads what a recording tells of itself; nothing without a title and an artist.
pub(super) fn read<R: BufRead + Seek>(from: &mut R) -> Option<Recording> {
    let options = ParseOptions::new().read_cover_art(false);
    let probe = Probe::new(&mut *from)
        .options(options)
        .guess_file_type()
        .ok()?;
    let file_type = probe.file_type()?;
    let (format, may_be_lossless) = known_format(file_type)?;
    let file = probe.read().ok()?;
    let properties = file.properties();
    let tag = file.primary_tag().or_else(|| file.first_tag())?;
    let words = |text: Option<std::borrow::Cow<'_, str>>| {
        let text = text?.trim().to_owned();
        (!text.is_empty()).then(|| Printable(text.as_bytes()).to_string())
    };
    let kbps = properties.audio_bitrate().filter(|kbps| *kbps > 0);
    let whole = properties.overall_bitrate().unwrap_or(0);
    let millis = u64::try_from(properties.duration().as_millis()).ok()?;
    // Some have both ways under one name, and tell how deep the samples are only of the lossless one.
    let is_lossless = match may_be_lossless {
        Lossless::Yes => true,
        Lossless::No => false,
        Lossless::IfDeep => properties.bit_depth().is_some(),
    };
    // An MP3's head tells the whole length, and its bits a second what is there.
    let is_short = file_type == FileType::Mpeg
        && kbps.is_some_and(|kbps| u64::from(whole) * 10 < u64::from(kbps) * 9);
    Some(Recording {
        title: words(tag.title())?,
        artist: words(tag.artist())?,
        millis: Some(millis).filter(|millis| *millis > 0)?,
        format,
        is_lossless,
        kbps,
        samples: (
            properties.sample_rate().unwrap_or(0),
            properties.bit_depth(),
        ),
        tags: tag.item_count(),
        is_cut_off: is_short || is_cut_off(from, file_type),
    })
}

/// Whether a format leaves nothing out.
enum Lossless {
    Yes,
    No,
    IfDeep,
}

fn known_format(file_type: FileType) -> Option<(&'static str, Lossless)> {
    Some(match file_type {
        FileType::Mpeg => ("MP3", Lossless::No),
        FileType::Aac => ("AAC", Lossless::No),
        FileType::Vorbis => ("Vorbis", Lossless::No),
        FileType::Opus => ("Opus", Lossless::No),
        FileType::Speex => ("Speex", Lossless::No),
        FileType::Mp4 => ("MP4", Lossless::IfDeep),
        FileType::Flac => ("FLAC", Lossless::Yes),
        FileType::Wav => ("WAV", Lossless::Yes),
        FileType::Aiff => ("AIFF", Lossless::Yes),
        _ => return None,
    })
}

/// The recordings that are there in several versions, of those in the order of their paths.
pub(super) fn groups(versions: Vec<Version>) -> Vec<VersionGroup> {
    let fold = |text: &str| {
        let words: Vec<String> = text.split_whitespace().map(str::to_lowercase).collect();
        words.join(" ")
    };
    let key = |version: &Version| {
        let of = recording(version)?;
        Some((fold(&of.title), fold(&of.artist)))
    };
    let millis = |version: &Version| recording(version).map_or(0, |of| of.millis);
    let mut groups = Vec::new();
    for mut same in by_key(versions, key) {
        same.sort_by_key(millis);
        let mut same = same.into_iter().peekable();
        while let Some(first) = same.next() {
            let shortest = millis(&first);
            let mut alike = vec![first];
            while let Some(next) = same.next_if(|next| millis(next) - shortest <= ALIKE) {
                alike.push(next);
            }
            groups.extend(group(alike));
        }
    }
    groups
}

fn recording(version: &Version) -> Option<&Recording> {
    match &version.facts {
        VersionFacts::Recording(recording) => Some(recording),
        VersionFacts::Picture(_) => None,
    }
}

/// These as a group; nothing where all of them are alike in every way, so that they are copies at best.
fn group(mut versions: Vec<Version>) -> Option<VersionGroup> {
    let is_better = |one: &Version, other: &Version| {
        let (one, other) = (recording(one), recording(other));
        one.zip(other)
            .is_some_and(|(one, other)| one.is_better_than(other))
    };
    let form = |version: &Version| {
        recording(version).map(|of| (of.format, of.kbps, of.samples, of.is_cut_off))
    };
    let first = versions.first().map(form)?;
    if versions.len() < 2 || versions.iter().all(|version| form(version) == first) {
        return None;
    }
    let beats: Vec<usize> = versions
        .iter()
        .map(|one| {
            versions
                .iter()
                .filter(|other| is_better(one, other))
                .count()
        })
        .collect();
    let mut ranked: Vec<(usize, Version)> = beats.into_iter().zip(versions).collect();
    ranked.sort_by_key(|(beats, version)| {
        (std::cmp::Reverse(*beats), std::cmp::Reverse(version.size))
    });
    versions = ranked.into_iter().map(|(_, version)| version).collect();
    let best = versions.first()?;
    // One more of the very same is as good, and no reason to suggest nothing.
    let is_first_better = versions
        .iter()
        .skip(1)
        .all(|other| is_better(best, other) || form(other) == form(best));
    Some(VersionGroup {
        versions,
        is_first_better,
    })
}

impl Recording {
    /// Whether it is surely better than another one: whole, nothing left out, or clearly more kept of it. Formats that leave
    /// something out do it in ways of their own, and half the bits in one may be as good as all in another.
    pub fn is_better_than(&self, other: &Self) -> bool {
        if self.is_cut_off || other.is_cut_off {
            return !self.is_cut_off;
        }
        if self.is_lossless || other.is_lossless {
            let kept = |of: &Self| {
                let (rate, bits) = of.samples;
                u64::from(rate) * u64::from(bits.unwrap_or(0))
            };
            return self.is_lossless && (!other.is_lossless || kept(self) > kept(other));
        }
        let (Some(own), Some(theirs)) = (self.kbps, other.kbps) else {
            return false;
        };
        let (own, theirs) = (u64::from(own), u64::from(theirs));
        if self.format == other.format {
            own * 10 >= theirs * 11
        } else {
            own >= theirs * 2
        }
    }
}
