//! Files of data that a document embeds as tables.

use vineloom_document::{Block, Diagnostic, Document, Span, each_block};
use vineloom_table::Table;

/// An error for every embedded file of data that is no table. It takes reading them all; whoever weaves the document is
/// told by that.
pub fn check_data_files(document: &Document) -> Vec<Diagnostic> {
    let mut findings = Vec::new();
    each_block(&document.blocks, &mut |block| {
        if let Block::DataFile { path, text, span, .. } = block {
            findings.extend(table_of_file(path, text, *span).err().map(|finding| *finding));
        }
    });
    findings
}

/// The table that an embedded file holds.
///
/// # Errors
/// What is wrong with it, and where it is embedded.
pub(crate) fn table_of_file(path: &str, text: &str, span: Span) -> Result<Table, Box<Diagnostic>> {
    Table::read(text).map_err(|error| {
        let finding = Diagnostic::error(span, format!("{path} is not a table: {error}"));
        Box::new(finding.help("its first row is the heading, and every row has as many cells"))
    })
}
