//! The shop's own settings: the header of the customer's page, and how much free space is little.

use std::io::Read as _;
use std::path::{Path, PathBuf};

use jolly_core::format::Printable;
use jolly_core::report::LittleFree;
use jolly_core::state::{KeptError, read_text, shown_name};
use jolly_paper::customer::Header;
use jolly_paper::picture::{MOST_BYTES, Picture, PictureError};
use serde::Deserialize;

/// Why the shop's settings can't be used.
#[derive(Debug, thiserror::Error)]
pub(crate) enum ShopError {
    #[error(transparent)]
    Read(#[from] KeptError),
    #[error("{file} can't be read: {why}")]
    Text { file: String, why: String },
    #[error("the picture {} can't be read", Printable(file.as_os_str().as_encoded_bytes()))]
    Picture {
        file: PathBuf,
        source: std::io::Error,
    },
    #[error("the picture {} can't stand in a header", Printable(file.as_os_str().as_encoded_bytes()))]
    NoPicture { file: PathBuf, source: PictureError },
}

/// What stands in `shop.toml` of the configuration folder.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct Shop {
    /// The shop's name.
    #[serde(default)]
    name: String,
    /// Where it is and how to reach it.
    #[serde(default)]
    lines: Vec<String>,
    /// A PNG picture, beside the file or by its whole path.
    #[serde(default)]
    picture: Option<PathBuf>,
    /// From how many percent of a volume on what is free is little.
    #[serde(default)]
    little_free: Option<u8>,
}

const FILE: &str = "shop.toml";

/// What to do about settings that can't be used.
pub(crate) const SHOP_ADVICE: &str =
    "mend the shop's settings, `shop.toml` in the configuration folder";

impl Shop {
    /// Reads the settings; a shop that has none has no header.
    pub(crate) fn read(config: Option<&Path>) -> Result<Self, ShopError> {
        let Some(file) = config.map(|config| config.join(FILE)) else {
            return Ok(Self::default());
        };
        let Some(text) = read_text(&file)? else {
            return Ok(Self::default());
        };
        let wrong = |why: String| ShopError::Text {
            file: shown_name(&file),
            why,
        };
        let shop: Self = toml::from_str(&text).map_err(|error| wrong(error.to_string()))?;
        if shop
            .little_free
            .is_some_and(|percent| !(1..=90).contains(&percent))
        {
            return Err(wrong(
                "little-free is a number of percent, from 1 to 90".to_owned(),
            ));
        }
        Ok(shop)
    }

    /// From where on what is free of a volume is little.
    pub(crate) fn little(&self) -> LittleFree {
        self.little_free
            .map_or_else(LittleFree::default, LittleFree)
    }

    /// The header of the customer's page.
    pub(crate) fn header(&self, config: Option<&Path>) -> Result<Header, ShopError> {
        let picture = match (&self.picture, config) {
            (Some(picture), Some(config)) => Some(read_picture(&config.join(picture))?),
            _ => None,
        };
        Ok(Header {
            name: self.name.clone(),
            lines: self.lines.clone(),
            picture,
        })
    }
}

/// Reads a picture; no more of it than a picture may have.
fn read_picture(file: &Path) -> Result<Picture, ShopError> {
    let mut bytes = Vec::new();
    let unreadable = |source| ShopError::Picture {
        file: file.to_owned(),
        source,
    };
    // A pipe of that name would be waited for.
    let is_file = std::fs::metadata(file).map_err(unreadable)?.is_file();
    if !is_file {
        return Err(unreadable(std::io::Error::other("it is no file")));
    }
    let opened = std::fs::File::open(file).map_err(unreadable)?;
    let read = opened.take(MOST_BYTES + 1).read_to_end(&mut bytes);
    let read = read.map_err(unreadable)?;
    if read as u64 > MOST_BYTES {
        let why = std::io::Error::other("it is larger than a header needs");
        return Err(unreadable(why));
    }
    Picture::read(&bytes).map_err(|source| ShopError::NoPicture {
        file: file.to_owned(),
        source,
    })
}
