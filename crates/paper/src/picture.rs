//! The picture of a shop's header: read whole and made anew, so that nothing of a stranger's file reaches a page.

use std::io::Cursor;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use png::{ColorType, Decoder, Encoder, Limits, Transformations};

/// The most that is read of such a file, in bytes.
pub const MOST_BYTES: u64 = 4 << 20;

/// The most dots that such a picture has on one side.
const MOST_DOTS: u32 = 2_000;

/// Why a file is no picture for a header.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum PictureError {
    #[error("it is no whole PNG picture: {0}")]
    NoPicture(String),
    #[error("it has {width} × {height} dots, and {MOST_DOTS} on a side are the most")]
    TooLarge { width: u32, height: u32 },
}

/// A picture that can stand in a header.
#[derive(Clone, Debug)]
pub struct Picture {
    /// Its width over its height.
    pub(crate) shape: f32,
    /// The picture itself, as a `data` address (RFC 2397).
    pub(crate) address: String,
}

impl Picture {
    /// Reads a PNG picture (ISO/IEC 15948).
    ///
    /// # Errors
    /// When it is none, isn't whole, or would take too much memory.
    pub fn read(bytes: &[u8]) -> Result<Self, PictureError> {
        let failed = |error: png::DecodingError| PictureError::NoPicture(error.to_string());
        let limits = Limits {
            bytes: 4 * MOST_DOTS as usize * MOST_DOTS as usize * 2,
        };
        let mut decoder = Decoder::new_with_limits(Cursor::new(bytes), limits);
        decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
        // What its maker wrote into it beside the dots is nobody's business.
        decoder.set_ignore_text_chunk(true);
        let header = decoder.read_header_info().map_err(failed)?;
        let (width, height) = (header.width, header.height);
        if width > MOST_DOTS || height > MOST_DOTS || width == 0 || height == 0 {
            return Err(PictureError::TooLarge { width, height });
        }
        let mut reader = decoder.read_info().map_err(failed)?;
        let size = reader.output_buffer_size();
        let size = size.ok_or(PictureError::TooLarge { width, height })?;
        let mut dots = vec![0; size];
        let info = reader.next_frame(&mut dots).map_err(failed)?;
        dots.truncate(info.buffer_size());
        let anew = encode(&dots, (width, height), info.color_type);
        let anew = anew.map_err(|error| PictureError::NoPicture(error.to_string()))?;
        Ok(Self {
            shape: width as f32 / height as f32,
            address: format!("data:image/png;base64,{}", STANDARD.encode(anew)),
        })
    }
}

fn encode(
    dots: &[u8],
    (width, height): (u32, u32),
    colour: ColorType,
) -> Result<Vec<u8>, png::EncodingError> {
    let mut out = Vec::new();
    let mut encoder = Encoder::new(&mut out, width, height);
    encoder.set_color(colour);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header()?;
    writer.write_image_data(dots)?;
    writer.finish()?;
    Ok(out)
}
