//! Frames around code and what it gave.

use super::lines::{cut, width};

/// A part of a frame: what it is called, and its lines.
pub(super) struct Section {
    pub label: String,
    pub lines: Vec<String>,
}

/// A frame around sections, one below the other, as wide as its longest line and no wider than asked. A longer line is
/// parted.
pub(super) fn framed(sections: &[Section], most: usize) -> Vec<String> {
    let room = most.saturating_sub(4).max(10);
    let parted: Vec<(&str, Vec<String>)> = sections
        .iter()
        .map(|section| (section.label.as_str(), section.lines.iter().flat_map(|line| cut(line, room)).collect()))
        .collect();
    let lines = parted.iter().flat_map(|(_, lines)| lines.iter().map(|line| width(line)));
    let labels = parted.iter().map(|(label, _)| width(label) + 2);
    let inside = lines.chain(labels).max().unwrap_or(0).clamp(12.min(room), room);
    let rule = |left: char, label: &str, right: char| {
        let words = if label.is_empty() { String::new() } else { format!(" {label} ") };
        let rest = (inside + 1).saturating_sub(width(&words));
        format!("{left}─{words}{}{right}", "─".repeat(rest))
    };
    let mut frame = Vec::new();
    for (at, (label, lines)) in parted.iter().enumerate() {
        frame.push(if at == 0 { rule('┌', label, '┐') } else { rule('├', label, '┤') });
        frame.extend(lines.iter().map(|line| format!("│ {line}{} │", " ".repeat(inside.saturating_sub(width(line))))));
    }
    frame.push(rule('└', "", '┘'));
    frame
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_is_as_wide_everywhere() {
        let section = |label: &str, lines: &[&str]| Section {
            label: label.into(),
            lines: lines.iter().map(|line| (*line).into()).collect(),
        };
        let frame = framed(&[section("python", &["print(土)", "x"]), section("", &["42"])], 30);
        assert_eq!(frame.len(), 6);
        assert!(frame.iter().all(|line| width(line) == width(&frame[0])), "{frame:#?}");
        assert!(frame[0].starts_with("┌─ python ─") && frame[3].starts_with("├─"), "{frame:#?}");
        let long = framed(&[section("", &[&"x".repeat(100)])], 30);
        assert!(long.iter().all(|line| width(line) == 30), "{long:#?}");
        assert_eq!(long.concat().matches('x').count(), 100);
    }
}
