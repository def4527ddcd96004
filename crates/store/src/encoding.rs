//! Values as the content of a record.

use bincode::{DefaultOptions, Options};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// The first byte of each. It changes whenever a type that is kept in records does: the bytes say nothing of the names
/// and the order of its fields, so that older ones can't be told from newer by reading them.
const FORM: u8 = 3;
/// Most records are no longer, in bytes.
const USUAL: usize = 512;

/// A value as the content of a record; no bytes for one that has no such form (a map of a length that nobody knows).
///
/// ```
/// let record = vineloom_store::to_record(&("Wren", 12));
/// assert_eq!(vineloom_store::from_record(&record), Some(("Wren".to_string(), 12)));
/// ```
pub fn to_record<T: Serialize + ?Sized>(value: &T) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(USUAL);
    bytes.push(FORM);
    match DefaultOptions::new().serialize_into(&mut bytes, value) {
        Ok(()) => bytes,
        Err(_) => Vec::new(),
    }
}

/// The value that the content of a record holds; nothing when it is none of this form.
pub fn from_record<T: DeserializeOwned>(record: &[u8]) -> Option<T> {
    let (&FORM, rest) = record.split_first()? else { return None };
    DefaultOptions::new().deserialize(rest).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_cut_longer_or_of_another_form_is_no_value() {
        let record = to_record(&vec!["a".to_string(), "bc".to_string()]);
        assert_eq!(from_record::<Vec<String>>(&record).map(|all| all.len()), Some(2));
        for cut in 0..record.len() {
            assert_eq!(from_record::<Vec<String>>(&record[..cut]), None, "{cut}");
        }
        assert_eq!(from_record::<Vec<String>>(&[record.as_slice(), b"x"].concat()), None);
        assert_eq!(from_record::<Vec<String>>(b"[\"a\"]"), None);
        // A length that is not there takes no memory.
        let huge = to_record(&u64::MAX);
        assert_eq!(from_record::<Vec<String>>(&huge), None);
        assert_eq!(from_record::<String>(&huge), None);
    }
}
