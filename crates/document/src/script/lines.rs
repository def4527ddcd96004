//! The lines of a text, and what ends them.

/// A text as lines without their ends, so that it can be put together again as it was.
pub(super) struct Lines<'t> {
    /// The lines. Where not all end alike, a carriage return is part of its line.
    pub lines: Vec<&'t str>,
    /// What ends a line.
    pub ending: &'static str,
    /// Whether something ends the last one.
    pub closed: bool,
}

impl<'t> Lines<'t> {
    pub fn of(text: &'t str) -> Self {
        let closed = text.ends_with('\n');
        let body = text.strip_suffix('\n').unwrap_or(text);
        let mut lines: Vec<&str> = if text.is_empty() { Vec::new() } else { body.split('\n').collect() };
        // The last one of a text that nothing ends has no carriage return either.
        let ended = &lines[..lines.len() - usize::from(!closed && !lines.is_empty())];
        let windows = !ended.is_empty() && ended.iter().all(|line| line.ends_with('\r'));
        if windows {
            lines.iter_mut().for_each(|line| *line = line.strip_suffix('\r').unwrap_or(line));
        }
        Lines { lines, ending: if windows { "\r\n" } else { "\n" }, closed }
    }

    /// Other lines, ended as these are.
    pub fn joined(&self, lines: &[String]) -> String {
        let mut text = lines.join(self.ending);
        if self.closed && !(lines.is_empty() && self.lines.is_empty()) {
            text.push_str(self.ending);
        }
        text
    }
}

/// Where a text stands, line by line: whether the paragraph above is HTML, which would take what follows for its own.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Paragraph {
    has_begun: bool,
    /// Whether it is HTML.
    pub is_html: bool,
}

impl Paragraph {
    /// Goes on behind a line.
    pub fn after(self, line: &str) -> Self {
        match (line.trim().is_empty(), self.has_begun) {
            (true, _) => Paragraph::default(),
            (false, true) => self,
            (false, false) => Paragraph { has_begun: true, is_html: opens_html(line) },
        }
    }
}

/// Whether a paragraph that begins so is HTML to its next blank line.
fn opens_html(line: &str) -> bool {
    let line = line.trim_start();
    line.starts_with('<')
        && !line.starts_with("<!--")
        && line[1..].starts_with(|c: char| c.is_ascii_alphabetic() || c == '/')
}
