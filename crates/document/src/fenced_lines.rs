//! Which lines of Markdown stand in a fence.

/// Follows the lines of a text, and says of each whether it is of a listing.
///
/// ```
/// use vineloom_document::FencedLines;
///
/// let mut fences = FencedLines::default();
/// let inside: Vec<bool> = "a\n```sh\nb\n```\nc".lines().map(|line| fences.holds(line)).collect();
/// assert_eq!(inside, [false, true, true, true, false]);
/// ```
#[derive(Debug, Clone, Copy, Default)]
pub struct FencedLines {
    /// The sign of the fence that is open, and how often it stands there.
    open: Option<(char, usize)>,
}

impl FencedLines {
    /// Whether the next line is of a listing, its fences with it.
    pub fn holds(&mut self, line: &str) -> bool {
        let bare = line.trim_start();
        let sign = bare.chars().next().filter(|c| matches!(c, '`' | '~'));
        let length = sign.map_or(0, |sign| bare.chars().take_while(|c| *c == sign).count());
        match self.open {
            Some((open, least)) => {
                if sign == Some(open) && length >= least && bare.trim_end().chars().all(|c| c == open) {
                    self.open = None;
                }
                true
            }
            None => {
                self.open = sign.filter(|_| length >= 3).map(|sign| (sign, length));
                self.open.is_some()
            }
        }
    }
}
