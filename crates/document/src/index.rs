//! Which live block and which value: numbers that are no other number.

use serde::Serialize;
use std::ops::{Index, IndexMut};

/// Which live block of a document: an index into [`crate::Document::live`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct BlockIndex(usize);

impl BlockIndex {
    /// The block of a number, counted from 1. There need not be one: it is for who made the document and knows.
    pub fn of_number(number: usize) -> Self {
        BlockIndex(number.saturating_sub(1))
    }

    /// The block that stands so far behind another as this one does behind the first.
    pub(crate) fn after(self, other: BlockIndex) -> Self {
        BlockIndex(self.0 + other.0)
    }

    /// The number of the block, counted from 1, as people count.
    pub fn number(self) -> usize {
        self.0 + 1
    }
}

/// Which value of a document: an index into [`crate::Document::values`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct ValueIndex(pub(crate) usize);

/// One thing for each live block of a document.
///
/// ```
/// use vineloom_document::ByBlock;
///
/// let mut names = ByBlock::default();
/// let first = names.push("decode");
/// assert_eq!(names[first], "decode");
/// assert_eq!(names.map(|name| name.len())[first], 6);
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ByBlock<T>(Vec<T>);

impl<T> Default for ByBlock<T> {
    fn default() -> Self {
        ByBlock(Vec::new())
    }
}

impl<T> ByBlock<T> {
    /// Adds one for the next block, and returns which that is.
    pub fn push(&mut self, one: T) -> BlockIndex {
        self.0.push(one);
        BlockIndex(self.0.len() - 1)
    }

    /// Adds those of as many blocks.
    pub(crate) fn append(&mut self, mut others: ByBlock<T>) {
        self.0.append(&mut others.0);
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The block that the next one added will be for.
    pub fn next(&self) -> BlockIndex {
        BlockIndex(self.0.len())
    }

    /// Every one.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.0.iter()
    }

    /// Every one, to be changed.
    pub fn iter_mut(&mut self) -> std::slice::IterMut<'_, T> {
        self.0.iter_mut()
    }

    /// Which blocks there are, in order.
    pub fn indices(&self) -> impl DoubleEndedIterator<Item = BlockIndex> + use<T> {
        (0..self.0.len()).map(BlockIndex)
    }

    /// Every one with its block.
    pub fn enumerate(&self) -> impl DoubleEndedIterator<Item = (BlockIndex, &T)> {
        self.0.iter().enumerate().map(|(at, one)| (BlockIndex(at), one))
    }

    /// Something else for each block, made out of this.
    pub fn map<U>(&self, make: impl FnMut(&T) -> U) -> ByBlock<U> {
        self.0.iter().map(make).collect()
    }

    /// Something else for each block, made out of this, which is used up.
    pub fn map_into<U>(self, make: impl FnMut(T) -> U) -> ByBlock<U> {
        self.0.into_iter().map(make).collect()
    }

    /// Which block has the first that fits.
    pub fn position(&self, fits: impl FnMut(&T) -> bool) -> Option<BlockIndex> {
        self.0.iter().position(fits).map(BlockIndex)
    }
}

impl<T> FromIterator<T> for ByBlock<T> {
    fn from_iter<I: IntoIterator<Item = T>>(all: I) -> Self {
        ByBlock(all.into_iter().collect())
    }
}

impl<T> IntoIterator for ByBlock<T> {
    type Item = T;
    type IntoIter = std::vec::IntoIter<T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<'a, T> IntoIterator for &'a ByBlock<T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

impl<T> Index<BlockIndex> for ByBlock<T> {
    type Output = T;

    fn index(&self, block: BlockIndex) -> &T {
        &self.0[block.0]
    }
}

impl<T> IndexMut<BlockIndex> for ByBlock<T> {
    fn index_mut(&mut self, block: BlockIndex) -> &mut T {
        &mut self.0[block.0]
    }
}
