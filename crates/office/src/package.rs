//! A package that is being made: its parts, their relations and content types, in an archive that is the same each time.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::{Cursor, Write};
use vineloom_export::xml::{address, text};
use vineloom_woven::{Woven, plain_text};
use zip::result::ZipError;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// What every part begins with.
pub const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";
const OFFICE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
const PACKAGES: &str = "http://schemas.openxmlformats.org/package/2006";

/// What the program signs its files with.
const MARK: &str = "<Application>Vine Loom</Application>";
/// The part that it stands in.
const SIGNED: &str = "docProps/app.xml";

/// A relation of a part to another, or to an address outside.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Relation {
    /// What the other is to it: the last word of the kind's address, or the whole address.
    pub kind: String,
    /// The other, by its path from the folder of the part, or its address.
    pub target: String,
    /// Whether it lies outside the package.
    pub outside: bool,
}

impl Relation {
    /// A relation to another part.
    pub fn inside(kind: &str, target: impl Into<String>) -> Self {
        Relation { kind: kind.into(), target: target.into(), outside: false }
    }

    /// A link to an address. What an address may not hold stands there by its bytes, as `%20`.
    ///
    /// ```
    /// use vineloom_office::Relation;
    ///
    /// assert_eq!(Relation::address("my file.csv").target, "my%20file.csv");
    /// ```
    pub fn address(target: &str) -> Self {
        Relation { kind: "hyperlink".into(), target: address(target), outside: true }
    }

    /// The file of a part's relations.
    pub fn file(part: &str) -> String {
        let (folder, name) = part.rsplit_once('/').unwrap_or(("", part));
        let folder = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        format!("{folder}_rels/{name}.rels")
    }

    /// What stands in such a file: the relations, called `rId1` and so on in their order.
    pub fn list(relations: &[Relation]) -> String {
        let mut xml = format!("{HEAD}<Relationships xmlns=\"{PACKAGES}/relationships\">");
        for (at, Relation { kind, target, outside }) in relations.iter().enumerate() {
            let kind = if kind.starts_with("http") { kind.clone() } else { format!("{OFFICE}/{kind}") };
            let mode = if *outside { " TargetMode=\"External\"" } else { "" };
            let _ =
                write!(xml, "<Relationship Id=\"rId{}\" Type=\"{kind}\" Target=\"{}\"{mode}/>", at + 1, text(target));
        }
        xml + "</Relationships>"
    }
}

/// A package that is being made.
///
/// ```
/// use vineloom_office::{Package, Relation, is_signed};
/// use vineloom_woven::Woven;
///
/// let mut package = Package::new(&Woven::default(), "");
/// package.add("word/document.xml", "application/xml", "<document/>");
/// package.relate("", &[Relation::inside("officeDocument", "word/document.xml")]);
/// assert!(is_signed(&package.archive().unwrap()));
/// ```
#[derive(Debug)]
pub struct Package {
    files: Vec<(String, Vec<u8>)>,
    /// Content types by the name of the part.
    types: BTreeMap<String, String>,
    /// Content types by the ending of a name.
    endings: BTreeMap<String, String>,
}

impl Package {
    /// A package that says of itself what a document says of itself. `counted` is what its application counts, as XML.
    pub fn new(woven: &Woven, counted: &str) -> Self {
        let endings = [
            ("rels", "application/vnd.openxmlformats-package.relationships+xml"),
            ("xml", "application/xml"),
            ("png", "image/png"),
            ("jpeg", "image/jpeg"),
            ("gif", "image/gif"),
            ("svg", "image/svg+xml"),
        ];
        let endings = endings.map(|(ending, kind)| (ending.to_string(), kind.to_string())).into();
        let mut package = Package { files: Vec::new(), types: BTreeMap::new(), endings };
        let properties = "http://schemas.openxmlformats.org/officeDocument/2006/extended-properties";
        package.add(
            SIGNED,
            "application/vnd.openxmlformats-officedocument.extended-properties+xml",
            format!("{HEAD}<Properties xmlns=\"{properties}\">{MARK}{counted}</Properties>"),
        );
        let kind = "application/vnd.openxmlformats-package.core-properties+xml";
        package.add("docProps/core.xml", kind, core(woven));
        package
    }

    /// Adds a part.
    pub fn add(&mut self, name: &str, kind: &str, bytes: impl Into<Vec<u8>>) {
        self.types.insert(name.into(), kind.into());
        self.files.push((name.into(), bytes.into()));
    }

    /// Adds a part whose ending tells its content type.
    pub fn add_plain(&mut self, name: &str, bytes: impl Into<Vec<u8>>) {
        self.files.push((name.into(), bytes.into()));
    }

    /// Says what the parts with an ending hold, where that is not known.
    pub fn ending(&mut self, ending: &str, kind: &str) {
        self.endings.entry(ending.into()).or_insert_with(|| kind.into());
    }

    /// Whether a part of this name is there.
    pub fn has(&self, name: &str) -> bool {
        self.files.iter().any(|(known, _)| known == name)
    }

    /// The relations of a part, `rId1` and so on in their order; of the package itself where the name is empty, which
    /// brings those to what the file says of itself.
    pub fn relate(&mut self, part: &str, relations: &[Relation]) {
        let own = [
            Relation::inside(&format!("{PACKAGES}/relationships/metadata/core-properties"), "docProps/core.xml"),
            Relation::inside("extended-properties", SIGNED),
        ];
        let own = if part.is_empty() { own.as_slice() } else { &[] };
        let all: Vec<Relation> = relations.iter().chain(own).cloned().collect();
        self.add_plain(&Relation::file(part), Relation::list(&all));
    }

    /// The archive. What signs it comes first, as it is, so that a file can be known by its beginning.
    ///
    /// # Errors
    /// What keeps the archive from being made.
    pub fn archive(self) -> Result<Vec<u8>, ZipError> {
        let mut types = format!("{HEAD}<Types xmlns=\"{PACKAGES}/content-types\">");
        for (ending, kind) in &self.endings {
            let _ = write!(types, "<Default Extension=\"{}\" ContentType=\"{}\"/>", text(ending), text(kind));
        }
        for (name, kind) in &self.types {
            let _ = write!(types, "<Override PartName=\"/{}\" ContentType=\"{}\"/>", text(name), text(kind));
        }
        types.push_str("</Types>");
        let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
        let files = self.files.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice()));
        let (own, others): (Vec<_>, Vec<_>) = files.partition(|(name, _)| *name == SIGNED);
        for (name, bytes) in own.into_iter().chain([("[Content_Types].xml", types.as_bytes())]).chain(others) {
            let packed = name != SIGNED && [".xml", ".rels", ".svg"].iter().any(|ending| name.ends_with(ending));
            let method = if packed { CompressionMethod::Deflated } else { CompressionMethod::Stored };
            // No file has the time at which it was made: the same document gives the same bytes.
            let options = SimpleFileOptions::default().last_modified_time(zip::DateTime::default());
            writer.start_file(name, options.compression_method(method))?;
            writer.write_all(bytes)?;
        }
        Ok(writer.finish()?.into_inner())
    }
}

/// Whether a file says of itself that this program made it.
pub fn is_signed(file: &[u8]) -> bool {
    let mark = MARK.as_bytes();
    file.starts_with(b"PK") && file[..file.len().min(4096)].windows(mark.len()).any(|window| window == mark)
}

/// What the file says of itself.
fn core(woven: &Woven) -> String {
    let head = &woven.head;
    let authors: Vec<&str> = head.authors.iter().map(|author| author.name.as_str()).collect();
    let rights =
        head.licence.as_deref().map_or_else(String::new, |it| format!("<dc:description>{}</dc:description>", text(it)));
    let day = head.day.as_deref().map_or_else(String::new, |day| {
        format!("<dcterms:created xsi:type=\"dcterms:W3CDTF\">{0}T00:00:00Z</dcterms:created><dcterms:modified xsi:type=\"dcterms:W3CDTF\">{0}T00:00:00Z</dcterms:modified>", text(day))
    });
    format!(
        "{HEAD}<cp:coreProperties xmlns:cp=\"{PACKAGES}/metadata/core-properties\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\" xmlns:dcterms=\"http://purl.org/dc/terms/\" xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\">\
         <dc:title>{}</dc:title><dc:creator>{}</dc:creator>{rights}<dc:language>{}</dc:language>{day}</cp:coreProperties>",
        text(&plain_text(&head.title)),
        text(&authors.join(", ")),
        text(&head.language)
    )
}
