//! Files read as long as they are when they are opened: whoever writes to one may be faster than who reads it.

use std::fs::File;
use std::io::{self, Read, Take};
use std::path::Path;

/// A file, to be read up to where it ends now. Files of the kernel say that they are empty, and are read whole.
pub(crate) fn opened(path: &Path) -> io::Result<Take<File>> {
    let file = File::open(path)?;
    let length = file.metadata()?.len();
    Ok(up_to(file, length))
}

/// The same where it is known how long the file is.
pub(crate) fn up_to(file: File, length: u64) -> Take<File> {
    file.take(if length == 0 { u64::MAX } else { length })
}

/// The bytes of a file as it is now.
///
/// # Errors
/// It can't be opened or read, or is larger than the memory.
pub fn read_file(path: &Path) -> io::Result<Vec<u8>> {
    let mut file = opened(path)?;
    let mut bytes = Vec::new();
    if let Ok(length) = usize::try_from(file.limit())
        && length < usize::MAX
    {
        bytes.try_reserve_exact(length)?;
    }
    file.read_to_end(&mut bytes)?;
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::access::Before;
    use crate::seen::hash;
    use std::fs;
    use std::sync::atomic::{AtomicBool, Ordering};

    #[test]
    fn a_file_that_grows_as_fast_as_it_is_read_has_an_end() {
        const MOST: usize = 256 << 20;
        const LENGTH: usize = 1 << 20;
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("log");
        type Way = (&'static str, fn(&Path));
        let ways: [Way; 3] = [
            ("hashed", |path| assert!(hash(path).is_some())),
            ("read", |path| assert!(read_file(path).unwrap().len() >= LENGTH)),
            ("held to be brought back", |path| assert!(matches!(Before::of(path), Before::File(..)))),
        ];
        for (way, reads) in ways {
            fs::write(&path, vec![1; LENGTH]).unwrap();
            let is_read = AtomicBool::new(false);
            let written = std::thread::scope(|scope| {
                let writer = scope.spawn(|| {
                    let mut log = File::options().append(true).open(&path).unwrap();
                    let mut written = 0;
                    while written < MOST && !is_read.load(Ordering::SeqCst) {
                        written += std::io::Write::write(&mut log, &[1; 1 << 16]).unwrap();
                    }
                    written
                });
                while fs::metadata(&path).unwrap().len() == LENGTH as u64 {
                    std::thread::yield_now();
                }
                reads(&path);
                is_read.store(true, Ordering::SeqCst);
                writer.join().unwrap()
            });
            assert!(written < MOST, "{way}: it was read until nobody wrote any more");
        }
    }

    #[test]
    fn files_are_read_whole_those_that_say_they_are_empty_too() {
        let folder = tempfile::tempdir().unwrap();
        for bytes in [&b""[..], b"one", &[7; 100_000]] {
            fs::write(folder.path().join("f"), bytes).unwrap();
            assert_eq!(read_file(&folder.path().join("f")).unwrap(), bytes);
        }
        assert!(read_file(&folder.path().join("none")).is_err());
        let sparse = File::create(folder.path().join("sparse")).unwrap();
        // Where the file system takes so large a file, it is told of and nothing is ended.
        if sparse.set_len(1 << 62).is_ok() {
            assert!(read_file(&folder.path().join("sparse")).is_err());
        }
        #[cfg(target_os = "linux")]
        assert!(read_file(Path::new("/proc/self/limits")).unwrap().len() > 100);
    }
}
