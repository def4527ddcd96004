//! The live page: files are watched, and what is woven is shown in a browser while it changes.
//!
//! A [`Watcher`] tells when files change. A [`Server`] shows documents to browsers on this machine, tells them what
//! happens, and hands on what their readers ask for. Neither knows how a document is woven.

#![forbid(unsafe_code)]

mod answer;
mod live_page;
mod printed;
mod server;
mod watcher;

pub use live_page::page_around;
pub use printed::{Line, Printed, PrintedPage, page_of_print};
pub use server::{Ask, Server, ServerError, Shown};
pub use watcher::{WatchError, Watcher, concerns};
