//! The server of the live page: only for browsers on this machine, and only for those that were told its address.
//!
//! | request | answer |
//! |---|---|
//! | `GET /TOKEN/` | the list of documents, or the only one |
//! | `GET /TOKEN/N/` | the main export of document N, from 1 |
//! | `GET /TOKEN/N/FILE` | an export of it, or a part of one |
//! | `GET /TOKEN/N/events` | what happens to it, as an event stream |
//! | `… /TOKEN/N/printed/FILE/…` | what is asked of the pages of an export, see [`crate::printed`] |
//! | `POST /TOKEN/N/ASK` | `again`, `waiting`, `pause` or `go-on` |
//!
//! The token is new for each server and can't be guessed. A request that names another host than this machine, or comes
//! from a page of another origin, is refused: a page from elsewhere can neither read nor start anything.

use crate::answer::{Answer, NOTHING, decoded, encoded, escaped, file, moved, plain};
use crate::live_page::{SCRIPT, STYLE, live};
use crate::printed::{self, Line, Printed};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::io::{self, Write};
use std::net::TcpListener;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;
use tiny_http::{Method, Request};

/// The port that is taken where none is asked for.
const USUAL_PORT: u16 = 7413;
/// How many ports are tried after one that is taken.
const MORE_PORTS: u16 = 50;
/// How many requests are answered side by side.
const ANSWERERS: usize = 4;
/// After so long without an event a browser is asked whether it is still there.
const HEARTBEAT: Duration = Duration::from_secs(5);

/// The server can't be started.
#[derive(Debug, thiserror::Error)]
pub enum ServerError {
    /// No port could be had.
    #[error("no port from {first} to {last} can be had: {why}")]
    NoPort {
        /// The first that was tried.
        first: u16,
        /// The last that was tried.
        last: u16,
        /// Why the last could not.
        why: String,
    },
    /// The system gives no random numbers, or no threads.
    #[error("the live page can't be served: {0}")]
    System(#[from] io::Error),
}

/// What a reader of the live page asks for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ask {
    /// The blocks of a document, counted from 0, that run at every weave are to run.
    Again(usize),
    /// The blocks of a document that wait to be asked for are to run.
    Waiting(usize),
    /// Nothing is to be woven for now.
    Pause,
    /// What changed is to be woven again.
    GoOn,
    /// A line of a document was pointed at.
    Open(Line),
}

/// An export of a document, as it is shown.
#[derive(Debug, Clone)]
pub struct Shown {
    /// Its name, with that of a folder of parts before it for what lies there.
    pub name: String,
    /// What it holds.
    pub bytes: Vec<u8>,
}

/// A running server. Dropping it ends it.
pub struct Server {
    http: Arc<tiny_http::Server>,
    shared: Arc<Shared>,
    answerers: Vec<JoinHandle<()>>,
    port: u16,
}

impl std::fmt::Debug for Server {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Server").field("port", &self.port).finish_non_exhaustive()
    }
}

struct Shared {
    token: String,
    port: u16,
    state: Mutex<State>,
    asks: Mutex<Sender<Ask>>,
}

#[derive(Default)]
struct State {
    documents: Vec<Document>,
    over: bool,
}

#[derive(Default)]
struct Document {
    title: String,
    /// Grows with each weave.
    version: u64,
    /// The main export first.
    files: Vec<Shown>,
    /// The pages of exports that have some, by the names of their files.
    printed: BTreeMap<String, Arc<dyn Printed>>,
    /// What happened since the last weave began: somebody who comes in the middle is told.
    events: Vec<String>,
    listeners: Vec<Sender<String>>,
}

impl Server {
    /// Starts a server at a loopback address for documents with these titles. A port that is taken is passed over for the
    /// next. `asks` gets what readers ask for.
    ///
    /// # Errors
    /// [`ServerError`] when no port is free.
    pub fn start(port: Option<u16>, titles: &[String], asks: Sender<Ask>) -> Result<Self, ServerError> {
        let first = port.unwrap_or(USUAL_PORT);
        let last = first.saturating_add(MORE_PORTS);
        let mut why = String::new();
        let found = (first..=last).find_map(|port| match TcpListener::bind(("127.0.0.1", port)) {
            Ok(listener) => Some((port, listener)),
            Err(error) => {
                why = error.to_string();
                None
            }
        });
        let (port, listener) = found.ok_or(ServerError::NoPort { first, last, why })?;
        // The end of an answer would wait up to 40 ms until the browser says that it has the beginning. What is set for
        // the listener holds for all connections.
        let _ = rustix::net::sockopt::set_tcp_nodelay(&listener, true);
        let http = tiny_http::Server::from_listener(listener, None).map_err(io::Error::other)?;
        // Port 0 stands for any that is free.
        let port = http.server_addr().to_ip().map_or(port, |address| address.port());
        let http = Arc::new(http);
        let documents = titles.iter().map(|title| Document { title: title.clone(), ..Document::default() }).collect();
        let shared = Arc::new(Shared {
            token: token()?,
            port,
            state: Mutex::new(State { documents, over: false }),
            asks: Mutex::new(asks),
        });
        let answerer = |at: usize| {
            let (http, shared) = (Arc::clone(&http), Arc::clone(&shared));
            std::thread::Builder::new().name(format!("live page {at}")).spawn(move || {
                while let Ok(request) = http.recv() {
                    // A browser that went away is nobody to tell.
                    let _ = shared.answer(request);
                }
            })
        };
        let answerers = (0..ANSWERERS).map(answerer).collect::<io::Result<Vec<_>>>()?;
        Ok(Server { http, shared, answerers, port })
    }

    /// Where the live page is, for a browser on this machine.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}/{}/", self.port, self.shared.token)
    }

    /// Adds a document behind those that are there.
    pub fn add(&self, title: &str) {
        self.shared.state().documents.push(Document { title: title.into(), ..Document::default() });
    }

    /// Shows what a document's weave made: its main export, then the others with their parts. Its readers are told with
    /// `event`, to which the version is added.
    pub fn show(&self, document: usize, files: Vec<Shown>, mut event: Value) {
        let mut state = self.shared.state();
        let Some(document) = state.documents.get_mut(document) else { return };
        document.version += 1;
        document.files = files;
        document.events.clear();
        event["version"] = json!(document.version);
        document.tell(&event);
    }

    /// Shows one export before the others are made: it takes the place of the one of its name.
    pub fn show_first(&self, document: usize, file: Shown) {
        let mut state = self.shared.state();
        let Some(document) = state.documents.get_mut(document) else { return };
        document.version += 1;
        match document.files.iter_mut().find(|known| known.name == file.name) {
            Some(known) => *known = file,
            None => document.files.push(file),
        }
        document.tell(&json!({ "event": "shown", "version": document.version }));
    }

    /// Shows the pages of an export, which may not have been made yet.
    pub fn show_pages(&self, document: usize, name: &str, printed: Arc<dyn Printed>) {
        let mut state = self.shared.state();
        let Some(document) = state.documents.get_mut(document) else { return };
        document.printed.insert(name.into(), printed);
        document.tell(&json!({ "event": "pages", "file": name }));
    }

    /// Tells the readers of a document what happens to it.
    pub fn tell(&self, document: usize, event: &Value) {
        if let Some(document) = self.shared.state().documents.get_mut(document) {
            document.tell(event);
        }
    }

    /// The same for all documents.
    pub fn tell_all(&self, event: &Value) {
        self.shared.state().documents.iter_mut().for_each(|document| document.tell(event));
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        {
            let mut state = self.shared.state();
            state.over = true;
            // Without senders the event streams end.
            state.documents.iter_mut().for_each(|document| document.listeners.clear());
        }
        self.answerers.iter().for_each(|_| self.http.unblock());
        for answerer in self.answerers.drain(..) {
            let _ = answerer.join();
        }
    }
}

impl Document {
    fn tell(&mut self, event: &Value) {
        let line = event.to_string();
        self.listeners.retain(|listener| listener.send(line.clone()).is_ok());
        if event["event"] == "begins" {
            self.events.clear();
        }
        self.events.push(line);
    }
}

impl Shared {
    fn state(&self) -> MutexGuard<'_, State> {
        // A panic elsewhere leaves no document half written.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn answer(&self, request: Request) -> io::Result<()> {
        if let Err(why) = self.comes_from_here(&request) {
            return request.respond(plain(403, why));
        }
        let url = request.url().split(['?', '#']).next().unwrap_or("").to_string();
        let path: Vec<String> = url.trim_start_matches('/').split('/').map(decoded).collect();
        let path: Vec<&str> = path.iter().map(String::as_str).collect();
        let [token, rest @ ..] = path.as_slice() else { return request.respond(plain(404, NOTHING)) };
        if !same(token, &self.token) {
            return request.respond(plain(404, NOTHING));
        }
        match (request.method(), rest) {
            (Method::Get, [""] | []) => request.respond(self.list()),
            (Method::Get, ["live.js"]) => request.respond(file("live.js", SCRIPT.into())),
            (Method::Get, ["print.js"]) => request.respond(file("print.js", printed::SCRIPT.into())),
            (Method::Get, ["live.css"]) => request.respond(file("live.css", STYLE.into())),
            (method, [number, rest @ ..]) => {
                let number = number.parse::<usize>().ok().and_then(|number| number.checked_sub(1));
                let Some(number) = number.filter(|&number| number < self.state().documents.len()) else {
                    return request.respond(plain(404, NOTHING));
                };
                match (method, rest) {
                    (Method::Get, ["events"]) => self.listen(number, request),
                    (Method::Get | Method::Post, ["printed", name, asked @ ..]) => {
                        let is_post = request.method() == &Method::Post;
                        let answer = match is_post == matches!(asked, ["at", ..]) {
                            true => self.printed(number, name, asked),
                            false => plain(405, "this can't be done here"),
                        };
                        request.respond(answer)
                    }
                    (Method::Get, _) => {
                        let answer = self.export(number, &rest.join("/"));
                        request.respond(answer)
                    }
                    (Method::Post, [ask]) => {
                        let answer = self.ask(number, ask);
                        request.respond(answer)
                    }
                    _ => request.respond(plain(405, "this can't be done here")),
                }
            }
            _ => request.respond(plain(405, "this can't be done here")),
        }
    }

    /// Whether a request names this machine and comes from no page but our own.
    fn comes_from_here(&self, request: &Request) -> Result<(), &'static str> {
        let header = |name: &str| {
            let mut all =
                request.headers().iter().filter(|header| header.field.as_str().as_str().eq_ignore_ascii_case(name));
            all.next().map(|header| header.value.as_str().to_string())
        };
        let hosts = [format!("127.0.0.1:{}", self.port), format!("localhost:{}", self.port)];
        if !header("Host").is_some_and(|host| hosts.contains(&host)) {
            return Err("the live page is only for this machine: open it by the address that was shown");
        }
        let is_own = |origin: String| hosts.iter().any(|host| origin == format!("http://{host}"));
        if !header("Origin").is_none_or(is_own) {
            return Err("a page from elsewhere may not ask for this");
        }
        // Browsers say what kind of page a request comes from; what is opened by hand comes from none.
        match header("Sec-Fetch-Site").as_deref() {
            None | Some("same-origin" | "none") => Ok(()),
            Some(_) if request.method() == &Method::Get && header("Sec-Fetch-Mode").as_deref() == Some("navigate") => {
                Ok(())
            }
            Some(_) => Err("a page from elsewhere may not ask for this"),
        }
    }

    fn list(&self) -> Answer {
        let state = self.state();
        if state.documents.len() == 1 {
            return moved(&format!("/{}/1/", self.token));
        }
        let mut page = String::from(
            "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Live documents</title>\
             <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\
             <link rel=\"stylesheet\" href=\"live.css\"></head>\n<body class=\"live-list\"><h1>Live documents</h1>\n<ul>\n",
        );
        for (at, document) in state.documents.iter().enumerate() {
            page.push_str(&format!("<li><a href=\"{}/\">{}</a></li>\n", at + 1, escaped(&document.title)));
        }
        file("list.html", (page + "</ul></body></html>\n").into_bytes())
    }

    fn export(&self, number: usize, name: &str) -> Answer {
        let state = self.state();
        let document = &state.documents[number];
        let Some(main) = document.files.first() else {
            let page = format!(
                "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title></head>\
                 <body><main><h1>{0}</h1><p>It has not been woven yet.</p></main></body></html>\n",
                escaped(&document.title)
            );
            return file("waiting.html", live(page.as_bytes(), &format!("/{}", self.token), document.version));
        };
        if name.is_empty() {
            return moved(&format!("/{}/{}/{}", self.token, number + 1, encoded(&main.name)));
        }
        match document.files.iter().find(|file| file.name == name) {
            Some(found) if name.ends_with(".html") => {
                file(name, live(&found.bytes, &format!("/{}", self.token), document.version))
            }
            Some(found) => file(name, found.bytes.clone()),
            None => plain(404, "only exports are served here, and this is none"),
        }
    }

    fn ask(&self, number: usize, ask: &str) -> Answer {
        let ask = match ask {
            "again" => Ask::Again(number),
            "waiting" => Ask::Waiting(number),
            "pause" => Ask::Pause,
            "go-on" => Ask::GoOn,
            _ => return plain(404, NOTHING),
        };
        match self.hand_on(ask) {
            true => plain(200, "asked"),
            false => plain(503, "nobody is there any more"),
        }
    }

    fn hand_on(&self, ask: Ask) -> bool {
        self.asks.lock().unwrap_or_else(PoisonError::into_inner).send(ask).is_ok()
    }

    fn printed(&self, number: usize, name: &str, asked: &[&str]) -> Answer {
        // What takes long is done without holding up others.
        let printed = self.state().documents[number].printed.get(name).cloned();
        let Some(printed) = printed else {
            return if asked == ["pages"] { file("answer.json", b"[]".to_vec()) } else { plain(404, NOTHING) };
        };
        let (answer, line) = printed::answer(&*printed, asked);
        if let Some(line) = line {
            self.hand_on(Ask::Open(line));
        }
        answer
    }

    /// Tells a browser what happens, until it or the server goes away. Each has a thread of its own.
    fn listen(&self, number: usize, request: Request) -> io::Result<()> {
        let (sender, events) = channel();
        {
            let mut state = self.state();
            if state.over {
                return Ok(());
            }
            let document = &mut state.documents[number];
            let now = json!({ "event": "now", "version": document.version });
            let before = std::iter::once(now.to_string()).chain(document.events.iter().cloned());
            before.for_each(|event| sender.send(event).unwrap_or(()));
            document.listeners.push(sender);
        }
        std::thread::Builder::new().name("events".into()).spawn(move || stream(&events, request))?;
        Ok(())
    }
}

fn stream(events: &Receiver<String>, request: Request) {
    let mut out = request.into_writer();
    let head = "HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\nCache-Control: no-store\r\nConnection: close\r\n\
                X-Content-Type-Options: nosniff\r\n\r\nretry: 500\n\n";
    let mut send = |text: &str| out.write_all(text.as_bytes()).and_then(|()| out.flush());
    if send(head).is_err() {
        return;
    }
    loop {
        let sent = match events.recv_timeout(HEARTBEAT) {
            Ok(event) => send(&format!("data: {event}\n\n")),
            Err(RecvTimeoutError::Timeout) => send(": still here\n\n"),
            Err(RecvTimeoutError::Disconnected) => return,
        };
        if sent.is_err() {
            return;
        }
    }
}

/// 128 random bits, as hexadecimal digits.
fn token() -> io::Result<String> {
    let mut bytes = [0; 16];
    let mut had = 0;
    while had < bytes.len() {
        had += rustix::rand::getrandom(&mut bytes[had..], rustix::rand::GetRandomFlags::empty())?;
    }
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}

/// Whether two texts are equal, in a time that tells nothing of where they differ.
fn same(one: &str, other: &str) -> bool {
    one.len() == other.len() && one.bytes().zip(other.bytes()).fold(0, |sum, (a, b)| sum | (a ^ b)) == 0
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{BufRead, BufReader, Read};
    use std::net::TcpStream;

    fn server() -> (Server, Receiver<Ask>) {
        let (asks, asked) = channel();
        let server = Server::start(Some(0), &["A <b>".into(), "Two".into()], asks).unwrap();
        let page = Shown { name: "a b.html".into(), bytes: b"<body>One</body>".to_vec() };
        let part = Shown { name: "a-parts/x.svg".into(), bytes: b"<svg/>".to_vec() };
        server.show(0, vec![page, part], json!({ "event": "woven" }));
        (server, asked)
    }

    fn request(server: &Server, lines: &[&str]) -> String {
        let mut stream = TcpStream::connect(("127.0.0.1", server.port)).unwrap();
        write!(stream, "{}\r\nConnection: close\r\n\r\n", lines.join("\r\n")).unwrap();
        let mut answer = String::new();
        stream.read_to_string(&mut answer).unwrap();
        answer
    }

    fn get(server: &Server, path: &str, more: &[&str]) -> String {
        let (first, host) = (format!("GET {path} HTTP/1.1"), format!("Host: 127.0.0.1:{}", server.port));
        request(server, &[&[first.as_str(), host.as_str()], more].concat())
    }

    #[test]
    fn documents_are_listed_and_their_exports_served_and_nothing_else() {
        let (server, _asked) = server();
        let token = &server.shared.token;
        assert!(get(&server, &format!("/{token}/"), &[]).contains("<a href=\"1/\">A &lt;b&gt;</a>"));
        assert!(get(&server, &format!("/{token}/1/"), &[]).contains(&format!("Location: /{token}/1/a%20b.html")));
        let page = get(&server, &format!("/{token}/1/a%20b.html"), &[]);
        assert!(page.starts_with("HTTP/1.1 200") && page.contains("One") && page.contains("live.js"), "{page}");
        assert!(get(&server, &format!("/{token}/1/a-parts/x.svg"), &[]).contains("image/svg+xml"));
        assert!(get(&server, &format!("/{token}/2/"), &[]).contains("It has not been woven yet"));
        for nothing in ["/", "/1/", "/0000000000000000000000000000000000/1/", "/favicon.ico"] {
            assert!(get(&server, nothing, &[]).starts_with("HTTP/1.1 404"), "{nothing}");
        }
        for nothing in ["1/../../etc/passwd", "1/%2e%2e/%2e%2e/etc/passwd", "1//etc/passwd", "3/", "0/", "x/"] {
            assert!(get(&server, &format!("/{token}/{nothing}"), &[]).starts_with("HTTP/1.1 404"), "{nothing}");
        }
    }

    #[test]
    fn another_host_name_and_another_origin_can_neither_read_nor_ask() {
        let (server, asked) = server();
        let (token, port) = (server.shared.token.clone(), server.port);
        let path = format!("/{token}/1/again");
        let post = format!("POST {path} HTTP/1.1");
        let host = format!("Host: 127.0.0.1:{port}");
        for wrong in [
            vec![format!("GET /{token}/1/ HTTP/1.1"), "Host: example.org".into()],
            vec![format!("GET /{token}/1/ HTTP/1.1"), format!("Host: example.org:{port}")],
            vec![format!("GET /{token}/1/events HTTP/1.1"), host.clone(), "Origin: http://example.org".into()],
            vec![format!("GET /{token}/1/a%20b.html HTTP/1.1"), host.clone(), "Sec-Fetch-Site: cross-site".into()],
            vec![post.clone(), host.clone(), "Origin: http://example.org".into(), "Content-Length: 0".into()],
            vec![post.clone(), host.clone(), "Origin: null".into(), "Content-Length: 0".into()],
            vec![post.clone(), host.clone(), "Sec-Fetch-Site: cross-site".into(), "Content-Length: 0".into()],
            vec![post.clone(), format!("Host: 127.0.0.1:{}", port ^ 1), "Content-Length: 0".into()],
        ] {
            let lines: Vec<&str> = wrong.iter().map(String::as_str).collect();
            assert!(request(&server, &lines).starts_with("HTTP/1.1 403"), "{wrong:?}");
        }
        assert!(asked.try_recv().is_err());
        let own = format!("Origin: http://127.0.0.1:{port}");
        assert!(request(&server, &[&post, &host, &own, "Content-Length: 0"]).starts_with("HTTP/1.1 200"));
        assert_eq!(asked.recv().unwrap(), Ask::Again(0));
    }

    #[test]
    fn who_listens_is_told_what_was_and_what_comes_and_the_end() {
        let (server, _asked) = server();
        server.tell(0, &json!({ "event": "begins" }));
        let mut stream = TcpStream::connect(("127.0.0.1", server.port)).unwrap();
        let (token, port) = (&server.shared.token, server.port);
        let ask = format!("GET /{token}/1/events HTTP/1.1\r\nHost: localhost:{port}\r\nConnection: close\r\n\r\n");
        stream.write_all(ask.as_bytes()).unwrap();
        let mut lines = BufReader::new(stream).lines().map(Result::unwrap).filter(|line| line.starts_with("data: "));
        assert_eq!(lines.next().unwrap(), "data: {\"event\":\"now\",\"version\":1}");
        assert_eq!(lines.next().unwrap(), "data: {\"event\":\"begins\"}");
        server.tell(0, &json!({ "event": "block" }));
        assert_eq!(lines.next().unwrap(), "data: {\"event\":\"block\"}");
        drop(server);
        assert!(lines.next().is_none());
    }

    #[test]
    fn a_taken_port_takes_the_next() {
        let (asks, _asked) = channel();
        let first = Server::start(None, &["A".into()], asks.clone()).unwrap();
        let second = Server::start(Some(first.port), &["B".into()], asks).unwrap();
        assert!(second.port > first.port);
        assert_ne!(first.address(), second.address());
    }
}
