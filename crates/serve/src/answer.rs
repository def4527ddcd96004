//! Answers to requests, with what each says of itself, and names as parts of addresses.

use std::io;
use tiny_http::{Header, Response, StatusCode};

pub(crate) type Answer = Response<io::Cursor<Vec<u8>>>;

/// What is said where nothing is.
pub(crate) const NOTHING: &str = "there is nothing here: open the address that was shown when watching began";

/// An answer with what every answer says of itself.
fn answer(status: u16, media: &str, body: Vec<u8>) -> Answer {
    let headers = [
        ("Content-Type", media),
        ("Cache-Control", "no-store"),
        ("Referrer-Policy", "no-referrer"),
        ("X-Content-Type-Options", "nosniff"),
        ("Cross-Origin-Resource-Policy", "same-origin"),
        ("X-Frame-Options", "SAMEORIGIN"),
    ];
    let headers = headers.iter().filter_map(|(name, value)| Header::from_bytes(*name, *value).ok()).collect();
    let length = body.len();
    Response::new(StatusCode(status), headers, io::Cursor::new(body), Some(length), None)
        .with_chunked_threshold(usize::MAX)
}

pub(crate) fn plain(status: u16, words: &str) -> Answer {
    answer(status, "text/plain; charset=utf-8", format!("{words}\n").into_bytes())
}

pub(crate) fn file(name: &str, bytes: Vec<u8>) -> Answer {
    answer(200, media_of(name), bytes)
}

pub(crate) fn moved(to: &str) -> Answer {
    let location = Header::from_bytes("Location", to);
    let answer = answer(302, "text/plain; charset=utf-8", Vec::new());
    match location {
        Ok(location) => answer.with_header(location),
        Err(()) => answer,
    }
}

fn media_of(name: &str) -> &'static str {
    match name.rsplit_once('.').map_or("", |(_, extension)| extension) {
        "html" => "text/html; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "js" => "text/javascript; charset=utf-8",
        "svg" => "image/svg+xml",
        "png" => "image/png",
        "jpg" | "jpeg" => "image/jpeg",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "woff2" => "font/woff2",
        "pdf" => "application/pdf",
        "md" | "txt" | "tex" => "text/plain; charset=utf-8",
        "json" | "ipynb" => "application/json",
        _ => "application/octet-stream",
    }
}

/// A text within HTML.
pub(crate) fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// A name as a part of an address.
pub(crate) fn encoded(name: &str) -> String {
    let byte = |byte: u8| match byte {
        b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b'~' | b'/' => char::from(byte).to_string(),
        byte => format!("%{byte:02X}"),
    };
    name.bytes().map(byte).collect()
}

/// A part of an address as a name.
pub(crate) fn decoded(part: &str) -> String {
    let bytes = part.as_bytes();
    let mut name = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while at < bytes.len() {
        let digits = part.get(at + 1..at + 3).filter(|_| bytes[at] == b'%');
        match digits.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
            Some(byte) => {
                name.push(byte);
                at += 3;
            }
            None => {
                name.push(bytes[at]);
                at += 1;
            }
        }
    }
    String::from_utf8_lossy(&name).into_owned()
}
