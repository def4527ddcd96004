//! Containers: what stands between a line that opens one and the line that closes it.

use super::Reader;
use crate::container;
use crate::diagnostic::Diagnostic;
use crate::tree::Block;

/// What stands among others of its level.
#[derive(Debug)]
pub(super) enum Placed {
    /// A block; nothing for what is never shown.
    Block(Option<Block>),
    /// The line that opens a container.
    Opening(container::Line),
    /// A line that closes one.
    Closing(container::Line),
}

/// The blocks of one level so far, and the containers that are open in it.
#[derive(Debug, Default)]
pub(super) struct Nesting {
    blocks: Vec<Block>,
    open: Vec<(container::Line, Vec<Block>)>,
}

impl Nesting {
    /// Takes what comes next.
    pub fn take(&mut self, placed: Placed, reader: &mut Reader) {
        match placed {
            Placed::Block(block) => self.innermost().extend(block),
            Placed::Opening(line) => self.open.push((line, Vec::new())),
            Placed::Closing(line) => self.close(&line, reader),
        }
    }

    fn innermost(&mut self) -> &mut Vec<Block> {
        self.open.last_mut().map_or(&mut self.blocks, |(_, inner)| inner)
    }

    fn close(&mut self, line: &container::Line, reader: &mut Reader) {
        let Some(at) = self.open.iter().rposition(|(opened, _)| opened.colons == line.colons) else {
            let finding = Diagnostic::error(line.span, "this line closes no container")
                .help("a container is closed by as many colons as opened it; take the line out if nothing is open");
            return reader.read.findings.push(finding);
        };
        reader.read.findings.extend(self.open.drain(at + 1..).map(|(unclosed, _)| never_closed(&unclosed)));
        if let Some((opened, inner)) = self.open.pop() {
            let container = reader.container(&opened, inner, line.span);
            self.innermost().extend(container);
        }
    }

    /// All blocks, when nothing comes any more.
    pub fn end(mut self, reader: &mut Reader) -> Vec<Block> {
        for (unclosed, inner) in self.open {
            reader.read.findings.push(never_closed(&unclosed));
            self.blocks.extend(inner);
        }
        self.blocks
    }
}

fn never_closed(line: &container::Line) -> Diagnostic {
    Diagnostic::error(line.span, "this container is opened here and never closed")
        .help(format!("put a line {} after the last line inside it", ":".repeat(line.colons)))
}
