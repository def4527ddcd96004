//! Lines as CommonMark has them: each ends with LF, CR LF, or a CR alone.

/// Where the lines of a text start.
pub(crate) fn line_starts(text: &str) -> Vec<usize> {
    let bytes = text.as_bytes();
    let mut starts = vec![0];
    for at in memchr::memchr2_iter(b'\n', b'\r', bytes) {
        if bytes[at] == b'\n' || bytes.get(at + 1) != Some(&b'\n') {
            starts.push(at + 1);
        }
    }
    starts
}

/// The lines of a text, each with its end; none behind the last end.
pub(crate) fn lines_with_ends(text: &str) -> impl Iterator<Item = &str> {
    let starts = line_starts(text);
    let ends = starts.clone().into_iter().skip(1).chain([text.len()]);
    starts.into_iter().zip(ends).map(|(start, end)| &text[start..end]).filter(|line| !line.is_empty())
}
