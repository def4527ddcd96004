//! What every document needs, made while the source of the first one is written: the typesetter's library, and the fonts
//! that most are set in. It is a fifth of the work that a page takes, and hangs on nothing that stands on the page.

use crate::fonts;
use crate::world::LIBRARY;
use std::sync::Once;
use typst::utils::hash128;

/// Begins on a thread of its own, once in the life of the program. What is not made when it is needed is made then.
pub(crate) fn begin() {
    static BEGUN: Once = Once::new();
    BEGUN.call_once(|| {
        // The typesetter knows things again by their hashes, which it keeps with them.
        let make = || {
            hash128(&*LIBRARY);
            for font in fonts::usual() {
                hash128(&font);
            }
        };
        // A thread that can't be had is done without.
        let _ = std::thread::Builder::new().name("beforehand".into()).spawn(make);
    });
}
