//! Lines of code and output that would be higher than a page, parted into several. The typesetter breaks a line that is
//! too long for its room, but can't part what it made of it between two pages.

use std::ops::Range;
use vineloom_woven::TextStyle;

/// How many lines of a page a line may take before it is parted.
const MOST_LINES: usize = 20;

/// A word of so many letters is left whole where a line is parted.
const LONGEST_WORD: usize = 40;

/// The pieces of a line, each no longer than so many columns allow, as byte ranges.
pub(crate) fn pieces(line: &str, columns: usize) -> Vec<Range<usize>> {
    let most = columns.max(4) * MOST_LINES;
    if line.len() <= most {
        return std::iter::once(0..line.len()).collect();
    }
    let mut pieces = Vec::new();
    let mut rest = line;
    while let Some((end, _)) = rest.char_indices().nth(most) {
        // Rather between words than within one, when there is an end of a word not far before.
        let nearby = rest[..end].char_indices().rev().take(LONGEST_WORD);
        let between = nearby.into_iter().find(|(_, c)| !c.is_alphanumeric()).map(|(at, c)| at + c.len_utf8());
        let cut = between.unwrap_or(end);
        let begun = line.len() - rest.len();
        pieces.push(begun..begun + cut);
        rest = &rest[cut..];
    }
    pieces.push(line.len() - rest.len()..line.len());
    pieces
}

/// The colours of a text, each with the bytes that have it.
pub(crate) type Styles = Vec<(Range<usize>, TextStyle)>;

/// A text whose lines are parted, the styles in it moved along, and which of the new lines (from 1) go on with the one
/// before.
pub(crate) fn parted(text: &str, styles: &[(Range<usize>, TextStyle)], columns: usize) -> (String, Styles, Vec<usize>) {
    let mut parted = String::with_capacity(text.len());
    let mut continued = Vec::new();
    // Where the text was parted, in bytes of the text as it was.
    let mut cuts = Vec::new();
    let (mut start, mut number) = (0, 0);
    for line in text.split('\n') {
        for (at, piece) in pieces(line, columns).into_iter().enumerate() {
            if number > 0 {
                parted.push('\n');
            }
            number += 1;
            if at > 0 {
                continued.push(number);
                cuts.push(start + piece.start);
            }
            parted.push_str(&line[piece]);
        }
        start += line.len() + 1;
    }
    if cuts.is_empty() {
        return (parted, styles.to_vec(), continued);
    }
    let moved = |at: usize| at + cuts.partition_point(|&cut| cut <= at);
    let styles = styles.iter().map(|(range, style)| (moved(range.start)..moved(range.end), *style)).collect();
    (parted, styles, continued)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_parted_between_letters_and_its_colours_stay_with_it() {
        let line = "é".repeat(200);
        let all = pieces(&line, 4);
        assert_eq!(all.len(), 3);
        assert_eq!(all.iter().map(|piece| &line[piece.clone()]).collect::<String>(), line);
        let bold = TextStyle { bold: true, ..TextStyle::default() };
        let text = format!("a\n{}\nb", "x".repeat(100));
        let (parted, styles, continued) = parted(&text, &[(80..84, bold), (102..104, bold)], 4);
        assert_eq!(continued, [3]);
        assert_eq!(parted.lines().map(str::len).collect::<Vec<_>>(), [1, 80, 20, 1]);
        let of = |at: usize| parted[styles[at].0.clone()].replace('\n', "");
        assert_eq!((of(0), of(1)), ("xxxx".to_string(), "\nb".replace('\n', "")));
    }
}
