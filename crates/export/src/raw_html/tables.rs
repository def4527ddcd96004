//! Tables that are written in HTML.

use super::Pass;
use super::elements::{elements, trim};
use super::nodes::Element;
use vineloom_table::is_plain_number;
use vineloom_woven::{Alignment, Block, Inline, Span, plain_text};

/// A cell of a table and how it asks to be set.
type Cell = (Vec<Inline>, Alignment);

/// A row of a table.
struct Row {
    /// Whether all of it is heading.
    heading: bool,
    cells: Vec<Cell>,
}

impl Pass<'_> {
    /// A table, after its caption.
    pub(super) fn table(&mut self, element: Element, blocks: &mut Vec<Block>, span: Span) {
        let mut rows: Vec<Row> = Vec::new();
        for part in elements(element.children, &["caption", "tr"]) {
            if part.name == "caption" {
                self.block_element(part, blocks, span);
                continue;
            }
            let cells = elements(part.children, &["td", "th"]);
            let heading = !cells.is_empty() && cells.iter().all(|cell| cell.name == "th");
            let mut row = Vec::new();
            for cell in cells {
                let alignment = alignment(&cell);
                let across =
                    cell.attribute("colspan").and_then(|n| n.parse::<usize>().ok()).unwrap_or(1).clamp(1, 1000);
                let mut content = self.said_as_inlines(cell.children);
                trim(&mut content);
                row.push((content, alignment));
                row.extend((1..across).map(|_| (Vec::new(), Alignment::None)));
            }
            rows.push(Row { heading, cells: row });
        }
        let columns = rows.iter().map(|row| row.cells.len()).max().unwrap_or(0);
        if columns == 0 {
            return;
        }
        let header = if rows[0].heading { rows.remove(0).cells } else { Vec::new() };
        let of_column = |column: usize| {
            let cells = || rows.iter().filter_map(|row| row.cells.get(column));
            let asked = cells().map(|(_, alignment)| *alignment).find(|a| *a != Alignment::None);
            let texts = || cells().map(|(content, _)| plain_text(content)).filter(|text| !text.trim().is_empty());
            let numbers = texts().next().is_some() && texts().all(|text| is_plain_number(&text));
            asked.unwrap_or(if numbers { Alignment::Right } else { Alignment::None })
        };
        let alignment = (0..columns).map(of_column).collect();
        let full = |mut row: Vec<Vec<Inline>>| {
            row.resize(columns, Vec::new());
            row
        };
        let content = |row: Vec<Cell>| full(row.into_iter().map(|(content, _)| content).collect());
        let (header, rows) = (content(header), rows.into_iter().map(|row| content(row.cells)).collect::<Vec<_>>());
        blocks.push(Block::Table { alignment, header: header.into(), rows: rows.into(), span });
    }
}

fn alignment(cell: &Element) -> Alignment {
    let style = cell.attribute("style").unwrap_or_default().replace(' ', "");
    let named = |word: &str| cell.attribute("align") == Some(word) || style.contains(&format!("text-align:{word}"));
    match () {
        () if named("right") => Alignment::Right,
        () if named("center") => Alignment::Center,
        () if named("left") => Alignment::Left,
        () => Alignment::None,
    }
}
