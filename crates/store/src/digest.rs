//! A BLAKE3 hash that names bytes.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// The BLAKE3 hash of some bytes; written as 64 hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Digest([u8; 32]);

impl Digest {
    /// The digest of bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Digest(*blake3::hash(bytes).as_bytes())
    }

    /// The 32 bytes of it.
    pub fn as_bytes(&self) -> &[u8; 32] {
        &self.0
    }
}

impl From<blake3::Hash> for Digest {
    fn from(hash: blake3::Hash) -> Self {
        Digest(*hash.as_bytes())
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&blake3::Hash::from_bytes(self.0).to_hex())
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Digest({self})")
    }
}

/// A text that is no digest.
#[derive(Debug, Clone, Copy, thiserror::Error)]
#[error("not a digest: 64 hexadecimal digits are wanted")]
pub struct NotADigest;

impl FromStr for Digest {
    type Err = NotADigest;

    fn from_str(text: &str) -> Result<Self, NotADigest> {
        blake3::Hash::from_hex(text).map(|hash| Digest(*hash.as_bytes())).map_err(|_| NotADigest)
    }
}

impl TryFrom<String> for Digest {
    type Error = NotADigest;

    fn try_from(text: String) -> Result<Self, NotADigest> {
        text.parse()
    }
}

impl From<Digest> for String {
    fn from(digest: Digest) -> String {
        digest.to_string()
    }
}
