//! What is inside the small files: pictures, databases, lists. And chance, the same every time.

use std::path::Path;

use rusqlite::Connection;

use crate::DemoError;

/// Chance with a seed (`SplitMix64`), so that the demo is the same every time.
#[derive(Debug)]
pub(crate) struct Chance(u64);

impl Chance {
    pub(crate) fn new(seed: u64) -> Self {
        Self(seed)
    }

    pub(crate) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        mixed ^ (mixed >> 31)
    }

    /// A number from `low` up to, not including, `high`.
    pub(crate) fn between(&mut self, low: u64, high: u64) -> u64 {
        low + self.next() % high.saturating_sub(low).max(1)
    }

    /// An age in seconds between two numbers of hours.
    pub(crate) fn hours(&mut self, low: u64, high: u64) -> i64 {
        i64::try_from(self.between(low * 3600, high * 3600)).unwrap_or(0)
    }

    /// An age in seconds between two numbers of days.
    pub(crate) fn days(&mut self, low: u64, high: u64) -> i64 {
        self.hours(low * 24, high * 24)
    }
}

/// A thumbnail of a picture by the open thumbnail specification (freedesktop.org): its name, and
/// a PNG that names the picture and its age inside.
pub(crate) fn thumbnail(picture: &str, changed: i64) -> (String, Vec<u8>) {
    let uri = format!("file:///{picture}");
    let name = format!("{:x}.png", md5::compute(&uri));
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 1, 1);
    encoder.set_color(png::ColorType::Grayscale);
    let texts = [("Thumb::URI", uri), ("Thumb::MTime", changed.to_string())];
    let is_texts = texts
        .into_iter()
        .all(|(key, text)| encoder.add_text_chunk(key.to_owned(), text).is_ok());
    if is_texts && let Ok(mut writer) = encoder.write_header() {
        // A picture that doesn't encode is still a file of the right name.
        drop(writer.write_image_data(&[128]));
    }
    (name, bytes)
}

/// Makes a database with these statements.
pub(crate) fn database(path: &Path, statements: &[String]) -> Result<(), DemoError> {
    let refuse = |source| DemoError::Database {
        path: path.to_owned(),
        source,
    };
    let mut connection = Connection::open(path).map_err(refuse)?;
    let transaction = connection.transaction().map_err(refuse)?;
    for statement in statements {
        transaction.execute_batch(statement).map_err(refuse)?;
    }
    transaction.commit().map_err(refuse)
}

/// The sites that the people of the boat hire visit.
pub(crate) const SITES: [&str; 44] = [
    "tides.example",
    "paddle-parts.example",
    "harbour-news.example",
    "slipway.example",
    "knots-and-ropes.example",
    "ferry-times.example",
    "river-levels.example",
    "canoe-club.example",
    "till-supplies.example",
    "boat-insurance.example",
    "lifejackets.example",
    "quay-bakery.example",
    "regatta.example",
    "weather-bureau.example",
    "oar-makers.example",
    "fishing-rights.example",
    "village-council.example",
    "post-parcels.example",
    "river-bank.example",
    "song-shop.example",
    "lantern-radio.example",
    "summer-jobs.example",
    "train-times.example",
    "second-hand-boats.example",
    "boat-varnish.example",
    "water-quality.example",
    "swan-watch.example",
    "otter-trust.example",
    "picnic-spots.example",
    "map-room.example",
    "crossword.example",
    "film-nights.example",
    "recipe-drawer.example",
    "lost-property.example",
    "bicycle-hire.example",
    "camp-sites.example",
    "tax-forms.example",
    "printer-help.example",
    "photo-prints.example",
    "garden-centre.example",
    "choir-notes.example",
    "language-course.example",
    "xn--mhlen-museum-dlb.example",
    "boats.shop.example",
];
