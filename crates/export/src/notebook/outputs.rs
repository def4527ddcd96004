//! What a cell gave, as nbformat has it.

use base64::Engine;
use serde_json::{Value, json};
use std::fmt::Write as _;
use vineloom_table::Table;
use vineloom_woven::{Cut, Media, Picture, Run, Shown, TextKind, plain_text};

/// A text as nbformat has it: a list of lines, each with its end.
pub(super) fn source(text: &str) -> Value {
    text.split_inclusive('\n').map(Value::from).collect()
}

/// The outputs of a block; `count` is the number of its cell.
pub(super) fn outputs(run: &Run, count: usize) -> Vec<Value> {
    let mut outputs = Vec::new();
    for shown in &run.results {
        match shown {
            Shown::Text { kind, text, .. } => outputs.push(match kind {
                TextKind::Output => stream("stdout", text),
                TextKind::Notice => stream("stderr", text),
                TextKind::Value => json!({
                    "output_type": "execute_result",
                    "execution_count": count,
                    "metadata": {},
                    "data": { "text/plain": source(text) },
                }),
                TextKind::Failure => failure(text),
            }),
            // The code of a transcript is that of the cell.
            Shown::Code(_) => {}
            Shown::Html { html, .. } => outputs.push(display(json!({ "text/html": source(html) }))),
            Shown::LeftOut { words } => {
                outputs.push(stream("stdout", &format!("({})", words)));
            }
            Shown::Table { table, cut } => {
                let data =
                    json!({ "text/html": source(&html(table, cut.as_ref())), "text/plain": source(&plain(table)) });
                outputs.push(display(data));
            }
            Shown::Figure { picture, alt } => {
                let caption = run.float.as_ref().map(|float| plain_text(&float.caption));
                let words = alt.clone().or(caption).unwrap_or_default();
                outputs.push(display(figure(picture, &words)));
            }
            Shown::Blocks(_) => {
                let text = crate::html::bare(shown.blocks().unwrap_or(&[]));
                outputs.push(display(json!({ "text/html": source(&text) })));
            }
        }
    }
    outputs
}

fn stream(name: &str, text: &str) -> Value {
    json!({ "output_type": "stream", "name": name, "text": source(&format!("{text}\n")) })
}

fn display(data: Value) -> Value {
    json!({ "output_type": "display_data", "metadata": {}, "data": data })
}

/// An expected failure: what it is called, and what it says, stand in the last line.
fn failure(text: &str) -> Value {
    let last = text.trim_end().lines().last().unwrap_or("");
    let (name, value) = last.split_once(": ").unwrap_or(("Error", last));
    let lines: Vec<&str> = text.lines().collect();
    json!({ "output_type": "error", "ename": name, "evalue": value, "traceback": lines })
}

fn figure(picture: &Picture, words: &str) -> Value {
    let coded = || base64::engine::general_purpose::STANDARD.encode(picture.bytes.as_slice());
    let words = if words.is_empty() { "Figure" } else { words };
    match picture.media {
        Media::Svg => {
            let drawing = String::from_utf8_lossy(&picture.bytes).into_owned();
            json!({ "image/svg+xml": source(&drawing), "text/plain": source(words) })
        }
        Media::Png => json!({ "image/png": coded(), "text/plain": source(words) }),
        Media::Jpeg => json!({ "image/jpeg": coded(), "text/plain": source(words) }),
        Media::Gif => json!({ "image/gif": coded(), "text/plain": source(words) }),
        Media::Webp => json!({ "image/webp": coded(), "text/plain": source(words) }),
    }
}

fn html(table: &Table, cut: Option<&Cut>) -> String {
    let text = crate::html::escape::text;
    let mut out = String::from("<table>\n<thead><tr>");
    for column in &table.columns {
        // Writing to a String can't fail, here and below.
        let _ = write!(out, "<th>{}</th>", text(&column.name));
    }
    out.push_str("</tr></thead>\n<tbody>\n");
    for at in 0..=table.rows.len() {
        if let Some(cut) = cut.filter(|cut| cut.after == at) {
            let _ = writeln!(out, "<tr><td colspan=\"{}\">{}</td></tr>", table.columns.len(), cut.words.clone());
        }
        if let Some(row) = table.rows.get(at) {
            out.push_str("<tr>");
            for cell in row {
                let _ = write!(out, "<td>{}</td>", text(cell.as_deref().unwrap_or("")));
            }
            out.push_str("</tr>\n");
        }
    }
    out + "</tbody>\n</table>"
}

fn plain(table: &Table) -> String {
    let head: Vec<&str> = table.columns.iter().map(|column| column.name.as_str()).collect();
    let row =
        |row: &Vec<Option<String>>| row.iter().map(|cell| cell.as_deref().unwrap_or("")).collect::<Vec<_>>().join("\t");
    std::iter::once(head.join("\t")).chain(table.rows.iter().map(row)).collect::<Vec<_>>().join("\n")
}
