//! The door of a store: what keeps content by its hash, and one record for each key. A folder does ([`crate::Store`]);
//! so may anything else.

use crate::{Digest, Origin, Secret, StoreError};

/// Keeps content by its hash, and one record for each key.
///
/// ```
/// # use std::{cell::RefCell, collections::BTreeMap};
/// use vineloom_store::{Digest, Objects, Origin, Secret, StoreError};
///
/// /// A store that ends with the program.
/// #[derive(Debug)]
/// struct Memory {
///     held: RefCell<BTreeMap<Digest, Vec<u8>>>,
///     secret: Secret,
/// }
///
/// impl Objects for Memory {
///     fn put(&self, bytes: &[u8]) -> Result<Digest, StoreError> {
///         self.held.borrow_mut().insert(Digest::of(bytes), bytes.to_vec());
///         Ok(Digest::of(bytes))
///     }
///     fn get(&self, digest: Digest) -> Option<Vec<u8>> {
///         self.held.borrow().get(&digest).cloned()
///     }
///     fn has(&self, digest: Digest) -> bool {
///         self.held.borrow().contains_key(&digest)
///     }
///     fn write_record(&self, key: Digest, content: &[u8]) -> Result<(), StoreError> {
///         self.held.borrow_mut().insert(key, content.to_vec());
///         Ok(())
///     }
///     fn record_from(&self, key: Digest) -> Option<(Vec<u8>, Origin)> {
///         Some((self.get(key)?, Origin::Own))
///     }
///     fn secret(&self) -> &Secret {
///         &self.secret
///     }
/// }
///
/// let memory = Memory { held: RefCell::default(), secret: Secret::passing()? };
/// memory.write_record(Digest::of(b"key"), b"result")?;
/// assert_eq!(memory.own_record(Digest::of(b"key")).as_deref(), Some(&b"result"[..]));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Objects: std::fmt::Debug {
    /// Stores bytes and returns their digest. Storing the same bytes again changes nothing.
    ///
    /// # Errors
    /// [`StoreError`] when they can't be written.
    fn put(&self, bytes: &[u8]) -> Result<Digest, StoreError>;

    /// The bytes of a digest; nothing when they are not there or damaged.
    fn get(&self, digest: Digest) -> Option<Vec<u8>>;

    /// Whether there is something under a digest; whether it is sound, [`Objects::get`] says.
    fn has(&self, digest: Digest) -> bool;

    /// Writes the record of a key, in place of an earlier one.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn write_record(&self, key: Digest, content: &[u8]) -> Result<(), StoreError>;

    /// The record of a key and where it comes from; nothing when there is none or it is damaged.
    fn record_from(&self, key: Digest) -> Option<(Vec<u8>, Origin)>;

    /// The secret of its user.
    fn secret(&self) -> &Secret;

    /// Keeps something for this user alone, under a key: a store that can be taken elsewhere leaves it behind. It may be
    /// large, and can be had by other means, so what was not used for longest may make room for it.
    ///
    /// # Errors
    /// [`StoreError`] when it can't be written.
    fn keep_own(&self, key: Digest, content: &[u8]) -> Result<(), StoreError> {
        self.write_record(key, content)
    }

    /// What this user alone keeps under a key; nothing when it is damaged, or somebody else's.
    fn own(&self, key: Digest) -> Option<Vec<u8>> {
        self.own_record(key)
    }

    /// The record of a key, wherever it comes from.
    fn record(&self, key: Digest) -> Option<Vec<u8>> {
        self.record_from(key).map(|(content, _)| content)
    }

    /// The record of a key if this user stored it: what decides anything by itself must be.
    fn own_record(&self, key: Digest) -> Option<Vec<u8>> {
        self.record_from(key).filter(|(_, origin)| *origin == Origin::Own).map(|(content, _)| content)
    }
}
