//! Standard output: what a closed pipe (`vineloom options | head`) takes no more of is left unsaid.

/// Writes a line to standard output.
macro_rules! say {
    ($($words:tt)*) => {{
        use std::io::Write as _;
        let _ = writeln!(std::io::stdout(), $($words)*);
    }};
}

pub(crate) use say;
