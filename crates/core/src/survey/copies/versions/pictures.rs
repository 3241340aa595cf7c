//! Pictures: what they tell of themselves (Exif 2.32, CIPA DC-008), and which were made of the same one.

use std::io::{BufRead, Seek};

use exif::{In, Tag};

use crate::format::Printable;
use crate::survey::copies::versions::{Version, VersionFacts, VersionGroup, by_key};

/// What a picture tells of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// How wide and how high it is, in points.
    pub points: (u32, u32),
    /// When it was taken, as the camera wrote it, made harmless.
    pub taken: String,
    /// The camera, made harmless.
    pub camera: String,
}

/// Reads what a picture tells of itself; nothing without the camera and the moment.
pub(super) fn read<R: BufRead + Seek>(from: &mut R) -> Option<Picture> {
    let told = exif::Reader::new().read_from_container(from).ok()?;
    let text = |tag: Tag| {
        let field = told.get_field(tag, In::PRIMARY)?;
        let exif::Value::Ascii(parts) = &field.value else {
            return None;
        };
        let text = String::from_utf8_lossy(parts.first()?).trim().to_owned();
        (!text.is_empty()).then(|| Printable(text.as_bytes()).to_string())
    };
    let moment = text(Tag::DateTimeOriginal)
        .filter(|moment| moment.contains(|one| matches!(one, '1'..='9')))?;
    let part = text(Tag::SubSecTimeOriginal).map_or_else(String::new, |part| format!(".{part}"));
    let camera: Vec<String> = [Tag::Make, Tag::Model]
        .into_iter()
        .filter_map(text)
        .collect();
    if camera.is_empty() {
        return None;
    }
    from.rewind().ok()?;
    let size = imagesize::reader_size(from).ok()?;
    Some(Picture {
        points: (
            u32::try_from(size.width).ok()?,
            u32::try_from(size.height).ok()?,
        ),
        taken: format!("{moment}{part}"),
        camera: camera.join(" "),
    })
}

/// The pictures that are there in several sizes, of those in the order of their paths.
pub(super) fn groups(versions: Vec<Version>) -> Vec<VersionGroup> {
    let key = |version: &Version| {
        let of = picture(version)?;
        Some((of.taken.clone(), of.camera.clone()))
    };
    let points = |version: &Version| picture(version).map_or((0, 0), |of| of.points);
    let area = |version: &Version| {
        let (wide, high) = points(version);
        u64::from(wide) * u64::from(high)
    };
    let mut groups = Vec::new();
    for mut same in by_key(versions, key) {
        same.sort_by_key(|version| {
            (
                std::cmp::Reverse(area(version)),
                std::cmp::Reverse(version.size),
            )
        });
        while let Some(first) = same.first() {
            let largest = points(first);
            let (alike, rest): (Vec<Version>, Vec<Version>) = same
                .into_iter()
                .partition(|version| has_shape(largest, points(version)));
            same = rest;
            if alike.is_empty() {
                break;
            }
            // A camera takes several in a second: of one size they are several pictures.
            if alike.iter().any(|version| points(version) != largest) {
                groups.push(VersionGroup {
                    versions: alike,
                    is_first_better: false,
                });
            }
        }
    }
    groups
}

fn picture(version: &Version) -> Option<&Picture> {
    match &version.facts {
        VersionFacts::Picture(picture) => Some(picture),
        VersionFacts::Recording(_) => None,
    }
}

/// Whether a picture has the shape of another one, within one point in a hundred.
fn has_shape((wide, high): (u32, u32), (other_wide, other_high): (u32, u32)) -> bool {
    let one = u64::from(wide) * u64::from(other_high);
    let other = u64::from(other_wide) * u64::from(high);
    one.abs_diff(other).saturating_mul(100) <= one.max(other)
}
