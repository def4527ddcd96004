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
    let mut starts = line_starts(text);
    starts.push(text.len());
    (1..starts.len()).map(move |next| &text[starts[next - 1]..starts[next]]).filter(|line| !line.is_empty())
}
