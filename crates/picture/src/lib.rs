//! Pictures as data: their kind, their bytes, and the hash that names them.
//!
//! ```
//! use vineloom_picture::{Media, Picture};
//!
//! let picture = Picture::new(b"<svg/>".to_vec()).expect("it begins as a drawing does");
//! assert_eq!(picture.media, Media::Svg);
//! assert_eq!(Picture::new(b"a,b\n".to_vec()), None);
//! ```

#![forbid(unsafe_code)]

mod cairo;

use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Picture {
    /// Its kind.
    pub media: Media,
    /// Its bytes. They are not serialised: who stores a picture stores them beside it, under [`Picture::hash`].
    #[serde(skip)]
    pub bytes: Arc<Vec<u8>>,
    /// BLAKE3 of the bytes, in hexadecimal digits.
    pub hash: String,
}

impl Picture {
    /// A picture of these bytes; nothing when they are no picture of a known kind.
    pub fn new(bytes: Vec<u8>) -> Option<Self> {
        let media = Media::of(&bytes)?;
        Some(Picture::of_kind(media, bytes))
    }

    /// A picture that a program has drawn just now; nothing when the bytes are no picture of a known kind. What the cairo
    /// library draws as SVG is said in a fraction of the bytes that it takes.
    pub fn drawn(bytes: Vec<u8>) -> Option<Self> {
        let media = Media::of(&bytes)?;
        let compact = std::str::from_utf8(&bytes).ok().filter(|_| media == Media::Svg).and_then(cairo::compact);
        Some(Picture::of_kind(media, compact.map_or(bytes, String::into_bytes)))
    }

    /// A picture of a kind that is known.
    pub fn of_kind(media: Media, bytes: Vec<u8>) -> Self {
        let hash = blake3::hash(&bytes).to_hex().to_string();
        Picture { media, bytes: Arc::new(bytes), hash }
    }

    /// A name for its file, of the first digits of its hash.
    pub fn file_name(&self) -> String {
        format!("{}.{}", &self.hash[..self.hash.len().min(16)], self.media.extension())
    }
}

/// The kinds of picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[allow(missing_docs, reason = "named after the formats")]
pub enum Media {
    Svg,
    Png,
    Jpeg,
    Gif,
    Webp,
}

impl Media {
    /// The kind of some bytes, by how they begin.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        match bytes {
            [0x89, b'P', b'N', b'G', ..] => Some(Media::Png),
            [0xFF, 0xD8, 0xFF, ..] => Some(Media::Jpeg),
            [b'G', b'I', b'F', b'8', ..] => Some(Media::Gif),
            [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some(Media::Webp),
            _ => {
                let start = &bytes[..bytes.len().min(4096)];
                start.windows(4).any(|window| window == b"<svg").then_some(Media::Svg)
            }
        }
    }

    /// The file extension.
    pub fn extension(self) -> &'static str {
        match self {
            Media::Svg => "svg",
            Media::Png => "png",
            Media::Jpeg => "jpg",
            Media::Gif => "gif",
            Media::Webp => "webp",
        }
    }

    /// The media type, as in a data URL.
    pub fn media_type(self) -> &'static str {
        match self {
            Media::Svg => "image/svg+xml",
            Media::Png => "image/png",
            Media::Jpeg => "image/jpeg",
            Media::Gif => "image/gif",
            Media::Webp => "image/webp",
        }
    }
}
