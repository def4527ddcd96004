//! A BLAKE3 hash that names bytes.

use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;
use std::ops::Deref;
use std::str::FromStr;

/// The BLAKE3 hash of some bytes; written as 64 hexadecimal digits, and as 32 bytes where nobody reads
/// it.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Digest([u8; 32]);

impl Digest {
    /// The digest of bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Digest(*blake3::hash(bytes).as_bytes())
    }

    /// The digest of the bytes of all these parts, one after the other.
    pub fn of_parts(parts: &[&[u8]]) -> Self {
        let mut hasher = blake3::Hasher::new();
        for part in parts {
            hasher.update(part);
        }
        hasher.finalize().into()
    }

    /// The 64 hexadecimal digits of it.
    pub fn hex(&self) -> impl Deref<Target = str> + use<> {
        blake3::Hash::from_bytes(self.0).to_hex()
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
        f.write_str(&self.hex())
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

impl Serialize for Digest {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match serializer.is_human_readable() {
            true => serializer.collect_str(self),
            false => self.0.serialize(serializer),
        }
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        match deserializer.is_human_readable() {
            true => String::deserialize(deserializer)?.parse().map_err(D::Error::custom),
            false => <[u8; 32]>::deserialize(deserializer).map(Digest),
        }
    }
}
