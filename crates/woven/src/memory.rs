//! What was worked out before from the same things need not be worked out again.

/// Remembers answers from one weave to the next. What is remembered is only a shortcut: without it the same is worked out
/// again.
pub trait Memory: std::fmt::Debug {
    /// The answer to a question, if it is remembered. Whatever the answer is made from is part of the question.
    fn recall(&self, question: &[u8]) -> Option<Vec<u8>>;

    /// Remembers the answer to a question.
    fn keep(&self, question: &[u8], answer: &[u8]);
}

/// Remembers nothing.
#[derive(Debug, Clone, Copy)]
pub struct NoMemory;

impl Memory for NoMemory {
    fn recall(&self, _question: &[u8]) -> Option<Vec<u8>> {
        None
    }

    fn keep(&self, _question: &[u8], _answer: &[u8]) {}
}
