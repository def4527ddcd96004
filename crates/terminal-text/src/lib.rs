//! Text as programs print it for a terminal: what a reader would have seen of it, and the colours and weights in it.

#![forbid(unsafe_code)]

mod clean;
mod style;

pub use clean::{clean, without_colours};
pub use style::{Colour, TextStyle, styled};
