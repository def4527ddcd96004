//! The case table: every construct of the woven tree in every format, each cell checked by weaving it.
//!
//! A variant that is added to the tree does not compile here before it has a row; a format that is added, before it has
//! a cell in each row. What a cell says is looked for in what a reader gets: the HTML of the page, the text that is taken
//! out of the PDF, the Markdown.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use std::collections::BTreeSet;
use support::{Project, tool};
use vineloom_document::Diagnostic;
use vineloom_document::options::Format;
use vineloom_export::raw_html::without_html;
use vineloom_interpreters::{Interrupt, Surroundings};
use vineloom_project::{Event, Opened, Trees, Weave, order_for};
use vineloom_store::Secret;
use vineloom_woven::{Block, InlineKind, Shown, Woven, each_inline};

/// What a format makes of a construct.
#[derive(Clone, Copy)]
enum Cell {
    /// As one expects of it: all of these are in what a reader gets.
    Is(&'static [&'static str]),
    /// As something else, which is these.
    As(&'static [&'static str]),
    /// Not at all, as it should be: none of these is in what a reader gets.
    LeftOut(&'static [&'static str]),
    /// Not at all, and the writer is told in these words, at the line of the row's document that has them.
    Told(&'static str, usize),
}

use Cell::{As, Is, LeftOut, Told};

/// A row of the table: a document with the construct, and its cell for each format.
struct Row {
    document: &'static str,
    html: Cell,
    pdf: Cell,
    markdown: Cell,
    /// As the page has it, but where it says otherwise; and as print has it.
    deck: Cell,
    deck_pdf: Cell,
    pptx: Cell,
    text: Cell,
    docx: Cell,
    epub: Cell,
    latex: Cell,
    notebook: Cell,
}

impl Row {
    fn notebook(self, notebook: Cell) -> Self {
        Row { notebook, ..self }
    }

    fn latex(self, latex: Cell) -> Self {
        Row { latex, ..self }
    }

    fn epub(self, epub: Cell) -> Self {
        Row { epub, ..self }
    }

    fn docx(self, docx: Cell) -> Self {
        Row { docx, ..self }
    }

    fn text(self, text: Cell) -> Self {
        Row { text, ..self }
    }

    fn deck(self, deck: Cell) -> Self {
        Row { deck, ..self }
    }

    fn deck_pdf(self, deck_pdf: Cell) -> Self {
        Row { deck_pdf, ..self }
    }

    fn pptx(self, pptx: Cell) -> Self {
        Row { pptx, ..self }
    }

    fn cell(&self, format: Format) -> &Cell {
        match format {
            Format::Html => &self.html,
            Format::Pdf => &self.pdf,
            Format::Markdown => &self.markdown,
            Format::Deck => &self.deck,
            Format::DeckPdf => &self.deck_pdf,
            Format::Pptx => &self.pptx,
            Format::Text => &self.text,
            Format::Docx => &self.docx,
            Format::Epub => &self.epub,
            Format::Latex => &self.latex,
            Format::Notebook => &self.notebook,
        }
    }
}

/// Declares the constructs and lists them.
macro_rules! constructs {
    ($($name:ident)*) => {
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        enum Construct { $($name),* }
        const ALL: &[Construct] = &[$(Construct::$name),*];
    };
}

constructs! {
    Title Subtitle Authors Date Licence
    Heading Paragraph Quote List TaskList Terms Table Rule Html Equation Notice Tabs Columns Fold Steps Speaker For Place Group Data Works Listing Run
    Text Code Math Emphasis Strong Strike Styled Link Reference Citation SectionReference Image RemoteImage Note InlineHtml
    SoftBreak LineBreak
    Output Value Notices Failure Statement PrintedHtml LeftOutLines ResultTable LeftOutRows Figure PrintedMarkdown
    Caption
}

fn of_block(block: &Block) -> Construct {
    match block {
        Block::Heading(_) => Construct::Heading,
        Block::Paragraph { .. } => Construct::Paragraph,
        Block::Quote(_) => Construct::Quote,
        Block::List { items, .. } if items.iter().any(|item| item.task.is_some()) => Construct::TaskList,
        Block::List { .. } => Construct::List,
        Block::Terms(_) => Construct::Terms,
        Block::Steps(_) => Construct::Steps,
        Block::Speaker(_) => Construct::Speaker,
        Block::Table { .. } => Construct::Table,
        Block::Rule => Construct::Rule,
        Block::Html { .. } => Construct::Html,
        Block::Equation { .. } => Construct::Equation,
        Block::Notice { .. } => Construct::Notice,
        Block::Tabs(_) => Construct::Tabs,
        Block::Columns { .. } => Construct::Columns,
        Block::Fold { .. } => Construct::Fold,
        Block::Place(_) => Construct::Place,
        Block::Group { .. } => Construct::Group,
        Block::Data { .. } => Construct::Data,
        Block::Works(_) => Construct::Works,
        Block::Listing { .. } => Construct::Listing,
        Block::Run(_) => Construct::Run,
    }
}

fn of_inline(kind: &InlineKind) -> Construct {
    match kind {
        InlineKind::Text(_) => Construct::Text,
        InlineKind::Code(_) => Construct::Code,
        InlineKind::Math { .. } => Construct::Math,
        InlineKind::Emphasis(_) => Construct::Emphasis,
        InlineKind::Strong(_) => Construct::Strong,
        InlineKind::Strike(_) => Construct::Strike,
        InlineKind::Styled { .. } => Construct::Styled,
        InlineKind::Link(_) => Construct::Link,
        InlineKind::Reference(_) => Construct::Reference,
        InlineKind::Citation(_) => Construct::Citation,
        InlineKind::SectionReference(_) => Construct::SectionReference,
        InlineKind::Image(_) => Construct::Image,
        InlineKind::RemoteImage(_) => Construct::RemoteImage,
        InlineKind::Note(_) => Construct::Note,
        InlineKind::Html(_) => Construct::InlineHtml,
        InlineKind::SoftBreak => Construct::SoftBreak,
        InlineKind::LineBreak => Construct::LineBreak,
    }
}

fn of_shown(shown: &Shown) -> Vec<Construct> {
    use vineloom_woven::TextKind;
    match shown {
        Shown::Text { kind, .. } => vec![match kind {
            TextKind::Output => Construct::Output,
            TextKind::Value => Construct::Value,
            TextKind::Notice => Construct::Notices,
            TextKind::Failure => Construct::Failure,
        }],
        Shown::Code(_) => vec![Construct::Statement],
        Shown::Html { .. } => vec![Construct::PrintedHtml],
        Shown::LeftOut { .. } => vec![Construct::LeftOutLines],
        Shown::Table { cut: Some(_), .. } => vec![Construct::ResultTable, Construct::LeftOutRows],
        Shown::Table { cut: None, .. } => vec![Construct::ResultTable],
        Shown::Figure { .. } => vec![Construct::Figure],
        Shown::Blocks(_) => vec![Construct::PrintedMarkdown],
    }
}

/// The constructs that a tree has.
fn constructs_of(woven: &Woven) -> BTreeSet<Construct> {
    let mut found = BTreeSet::new();
    let head = &woven.head;
    found.extend((!head.title.is_empty()).then_some(Construct::Title));
    found.extend((!head.subtitle.is_empty()).then_some(Construct::Subtitle));
    found.extend((!head.authors.is_empty()).then_some(Construct::Authors));
    found.extend(head.date.is_some().then_some(Construct::Date));
    found.extend(head.licence.is_some().then_some(Construct::Licence));
    woven.each_block(&mut |block| {
        found.insert(of_block(block));
        match block {
            Block::Run(run) => {
                found.extend(run.results.iter().flat_map(of_shown));
                found.extend(run.float.as_ref().map(|_| Construct::Caption));
            }
            Block::Group { float, .. } | Block::Data { float, .. } | Block::Listing { float, .. } => {
                found.extend(float.as_ref().map(|_| Construct::Caption));
            }
            _ => {}
        }
    });
    woven.each_text(&mut |text| {
        each_inline(text, &mut |inline| {
            found.insert(of_inline(&inline.kind));
        });
    });
    found
}

/// The table itself.
fn row(construct: Construct) -> Row {
    let row = |document, html, pdf, markdown| Row {
        document,
        html,
        pdf,
        markdown,
        deck: html,
        deck_pdf: pdf,
        pptx: pdf,
        text: pdf,
        docx: pdf,
        epub: html,
        latex: pdf,
        notebook: markdown,
    };
    match construct {
        Construct::Title => row(
            "+++\ntitle = \"The *Marl* probe\"\n+++\n\nWords.\n",
            Is(&["<h1>The <em>Marl</em> probe</h1>", "<title>The Marl probe</title>"]),
            Is(&["The Marl probe"]),
            Is(&["# The Marl probe\n\nWords."]),
        ).notebook(As(&["# The Marl probe"]))
        .text(As(&["════════════════\nThe _Marl_ probe\n════════════════"])),
        Construct::Subtitle => row(
            "+++\ntitle = \"T\"\nsubtitle = \"A field guide\"\n+++\n\nWords.\n",
            Is(&["<p class=\"subtitle\">A field guide</p>"]),
            Is(&["A field guide"]),
            Is(&["*A field guide*"]),
        ),
        Construct::Authors => row(
            "+++\ntitle = \"T\"\nauthors = [{ name = \"Ines Calloway\", affiliation = \"Hollin Ridge\" }]\n+++\n\nWords.\n",
            Is(&["<span>Ines Calloway</span>", "(Hollin Ridge)", "<meta name=\"author\" content=\"Ines Calloway\">"]),
            Is(&["Ines Calloway", "Hollin Ridge"]),
            Is(&["Ines Calloway"]),
        ).epub(Is(&["<span>Ines Calloway</span>", "(Hollin Ridge)"])),
        Construct::Date => row(
            "+++\ntitle = \"T\"\ndate = \"9 June 2026\"\n+++\n\nWords.\n",
            Is(&["<p class=\"date\">9 June 2026</p>"]),
            Is(&["9 June 2026"]),
            Is(&["9 June 2026"]),
        ),
        Construct::Licence => row(
            "+++\ntitle = \"T\"\nlicence = \"CC-BY-4.0\"\n+++\n\nWords.\n",
            Is(&["Licence: CC-BY-4.0"]),
            Is(&["CC-BY-4.0"]),
            Is(&["CC-BY-4.0"]),
        ),
        Construct::Heading => row(
            "# Soil\n\n## Wiring the probe\n\nWords.\n",
            Is(&["<h2 id=\"wiring-the-probe\">Wiring the probe"]),
            Is(&["Wiring the probe"]),
            Is(&["## Wiring the probe\n"]),
        )
        .deck(Is(&["id=\"wiring-the-probe\"", "<h2>Wiring the probe</h2>"])),
        Construct::Paragraph => row(
            "One line.\n\nAnother one.\n",
            Is(&["<p>One line.</p>\n<p>Another one.</p>"]),
            Is(&["One line.", "Another one."]),
            Is(&["One line.\n\nAnother one.\n"]),
        ),
        Construct::Quote => row(
            "> So it was said.\n",
            Is(&["<blockquote>\n<p>So it was said.</p>"]),
            Is(&["So it was said."]),
            Is(&["> So it was said.\n"]),
        ),
        Construct::List => row(
            "3. Dig.\n4. Read.\n   - deep\n",
            Is(&["<ol start=\"3\">", "<li>Dig.", "<ul>\n<li>deep"]),
            Is(&["3. Dig.", "4. Read.", "deep"]),
            Is(&["3. Dig.\n4. Read.\n   - deep\n"]),
        ).latex(Is(&["\\begin{vlnumbers}[start=3]", "\\item Dig.", "\\begin{vlitems}"]))
        .docx(As(&["Dig.", "Read.", "deep"]))
        // The numbers are the program's own.
        .pptx(As(&["Dig.", "Read.", "deep"])),
        Construct::TaskList => row(
            "- [x] Dug.\n- [ ] Read.\n",
            Is(&["checked aria-label=\"done\"> Dug.", "aria-label=\"to do\"> Read."]),
            Is(&["☑ Dug.", "☐ Read."]),
            Is(&["- [x] Dug.\n- [ ] Read.\n"]),
        ).latex(Is(&["\\item[\\(\\boxtimes\\)] Dug.", "\\item[\\(\\square\\)] Read."])).epub(Is(&["☑ Dug.", "☐ Read."]))
        .text(Is(&["- [x] Dug.\n- [ ] Read."])),
        Construct::Terms => row(
            "::: terms\n- **Strand** One running interpreter.\n- **Knot**: a live block\n\n  of code.\n:::\n",
            Is(&["<dt>Strand</dt>\n<dd>One running interpreter.</dd>", "<dt>Knot</dt>\n<dd>\n<p>a live block</p>"]),
            Is(&["Strand", "One running interpreter.", "Knot", "of code."]),
            As(&["- **Strand** One running interpreter.\n", "- **Knot**: a live block\n\n  of code."]),
        ),
        Construct::Steps => row(
            "::: steps\n- Dig.\n- Read.\n:::\n",
            As(&["<li>Dig.", "<li>Read."]),
            As(&["Dig.", "Read."]),
            As(&["- Dig.\n- Read."]),
        )
        .deck(Is(&["<li data-step=\"1\">Dig.", "<li data-step=\"2\">Read."])),
        Construct::Speaker => row(
            "Words.\n\n::: speaker\nBreathe.\n:::\n",
            LeftOut(&["Breathe."]),
            LeftOut(&["Breathe."]),
            LeftOut(&["Breathe."]),
        )
        .pptx(As(&["Breathe."]))
        .deck(As(&["<aside class=\"speaker\" aria-label=\"Notes\">", "Breathe."])),
        Construct::Table => row(
            "| Plot | Depth |\n|:-----|------:|\n| North | 30 |\n",
            Is(&["<th scope=\"col\">Plot</th>", "<td class=\"right\">30</td>"]),
            Is(&["Plot", "Depth", "North", "30"]),
            Is(&["| North | 30 |\n"]),
        ),
        Construct::Rule => row("Above.\n\n---\n\nBelow.\n", Is(&["<hr>"]), As(&["Above.", "Below."]), Is(&["\n---\n"])).epub(Is(&["<hr/>"]))
            .deck(As(&["<p>Above.</p>", "id=\"slide--on\"", "<p>Below.</p>"])),
        Construct::Html => row(
            "Above.\n\n<video src=\"a.mp4\">Film</video>\n\n<table><tr><td>Clay</td></tr></table>\n",
            Is(&["<video src=\"a.mp4\">Film</video>", "<td>Clay</td>"]),
            Told("`<video>` says nothing in the PDF", 3),
            Is(&["<video src=\"a.mp4\">Film</video>"]),
        ).latex(Told("`<video>` says nothing in the LaTeX source", 3)).epub(Told("`<video>` says nothing in the book", 3))
        .docx(Told("`<video>` says nothing in the office document", 3))
        .text(Told("`<video>` says nothing in the text", 3))
        .pptx(Told("`<video>` says nothing in the office slides", 3)),
        Construct::Equation => row(
            "$$m = \\frac{w}{d}$$ {#mass}\n\nSee [](@mass).\n",
            Is(&["<div class=\"equation\" id=\"mass\">", "<mfrac>", "(1)"]),
            Is(&["(1)", "Equation 1"]),
            Is(&["$$m = \\frac{w}{d}$$", "Equation\u{a0}1"]),
        ).latex(Is(&["\\begin{equation}\\label{mass}\nm = \\frac{w}{d}\n\\end{equation}", "Equation~\\ref{mass}"]))
        .docx(Is(&["m=wd", "(1)", "Equation 1"]))
        .pptx(Is(&["m = w/d", "(1)"])),
        Construct::Notice => row(
            "::: caution \"Mind the wire\"\nIt is thin.\n:::\n",
            Is(&["<aside class=\"notice caution\">", "Mind the wire", "It is thin."]),
            Is(&["Mind the wire", "It is thin."]),
            Is(&["> [!WARNING]\n> **Mind the wire**\n>\n> It is thin."]),
        ),
        Construct::Tabs => row(
            "::: tabs\n## Linux\nFrom a shell.\n## macOS\nFrom a terminal.\n:::\n",
            Is(&["<p class=\"tab-title\">Linux</p>", "From a terminal."]),
            As(&["Linux", "From a shell.", "macOS", "From a terminal."]),
            As(&["## Linux", "From a terminal."]),
        ),
        Construct::Columns => row(
            "::: columns 2:1\nLeft side.\n\n---\n\nRight side.\n:::\n",
            Is(&["<div class=\"columns\" style=\"grid-template-columns:2fr 1fr\">\n<div>\n<p>Left side.</p>"]),
            Is(&["Left side.", "Right side."]),
            As(&["Left side.", "Right side."]),
        ),
        Construct::Fold => row(
            "::: fold \"How it is made\"\nBy hand.\n:::\n",
            Is(&["<summary>How it is made</summary>", "By hand."]),
            As(&["How it is made", "By hand."]),
            Is(&["<summary>How it is made</summary>\n\nBy hand.\n\n</details>"]),
        ).epub(As(&["<p class=\"fold-title\">How it is made</p>"])),
        Construct::For => row(
            "Words.\n\n::: for html\nOn the page.\n:::\n\n::: not-for html\nElsewhere.\n:::\n",
            LeftOut(&["Elsewhere."]),
            LeftOut(&["On the page."]),
            LeftOut(&["On the page."]),
        ).epub(Is(&["Elsewhere."]))
        .deck(LeftOut(&["On the page."])),
        Construct::Place => row(
            "::: tip #wire\nIt is thin.\n:::\n\nSee [the tip](@wire).\n",
            Is(&["<div id=\"wire\"></div>\n<aside class=\"notice tip\">", "href=\"#wire\">the tip<"]),
            As(&["It is thin.", "See the tip."]),
            Is(&["<a id=\"wire\"></a>", "[the tip](#wire)"]),
        ).latex(Is(&["\\label{wire}", "\\hyperref[wire]{the tip}"]))
        .docx(As(&["the tip"])),
        Construct::Group => row(
            "::: figure \"Two probes\" #pair\n![North](a.svg)\n\n![Low](a.svg)\n:::\n\nSee [](@pair).\n",
            Is(&[
                "<figure class=\"group\" id=\"pair\">",
                "Figure 1.</span> Two probes",
                "href=\"#pair\">Figure\u{a0}1<",
            ]),
            Is(&["Figure 1. Two probes", "See Figure 1"]),
            Is(&["<a id=\"pair\"></a>", "![North](a.svg)", "*Figure 1. Two probes*", "[Figure\u{a0}1](#pair)"]),
        ).latex(Is(&["\\caption{Two probes}", "See Figure~\\ref{"])),
        Construct::Data => row(
            "![Moisture](a.csv)\n",
            Is(&["<td class=\"number\">31.5</td>", "Table 1.</span> Moisture"]),
            Is(&["31.5", "Table 1. Moisture"]),
            Is(&["| North | 31.5 |", "Table 1. Moisture"]),
        ).latex(Is(&["\\caption{Moisture}", "\\toprule", "North"])),
        Construct::Works => row(
            "+++\nreferences = \"a.bib\"\n+++\n\nAs [](@wren) says.\n",
            Is(&["<section class=\"works\"", "id=\"work-wren\"", "Reading Soil"]),
            Is(&["Reading Soil", "Wren"]),
            Is(&["Reading Soil", "Wren"]),
        ).latex(Is(&["\\printbibliography", "\\addbibresource{guide-parts/works.bib}"])),
        Construct::Listing => row(
            "```python id=code caption=\"Decoding\" lines=on\nx = 1\n```\n\nSee [](@code).\n",
            Is(&["class=\"language-python\"", "data-line=\"1\"", "Listing 1.</span> Decoding"]),
            Is(&["x = 1", "Listing 1. Decoding"]),
            Is(&["*Listing 1. Decoding*\n\n```python\nx = 1\n```", "[Listing\u{a0}1](#code)"]),
        ).latex(Is(&["\\vllistingcaption{Decoding}\\label{code}", "Listing~\\ref{code}", "firstnumber=1"])),
        Construct::Run => row(
            "```sh @a\necho hello\n```\n",
            Is(&["<div class=\"run strand-1\" data-strand=\"sh\" id=\"a\">", "<samp>hello</samp>"]),
            Is(&["echo hello", "hello"]),
            Is(&["```sh\necho hello\n```\n", "```text\nhello\n```\n"]),
        ).notebook(Is(&["streamstdouthello", "echo hello"])).latex(Is(&["\\vlf{echo}", "hello"])),
        Construct::Text => row("Wörter & <i>.\n", Is(&["Wörter &amp;"]), Is(&["Wörter &"]), Is(&["Wörter & <i>.\n"])).latex(Is(&["Wörter \\& "])),
        Construct::Code => row("Say `a < b`.\n", Is(&["<code>a &lt; b</code>"]), Is(&["a < b"]), Is(&["`a < b`"])).latex(Is(&["\\texttt{a \\textless{} b}"])),
        Construct::Math => row("As $x^2$ grows.\n", Is(&["<msup>"]), Is(&["𝑥2"]), Is(&["$x^2$"])).latex(Is(&["\\(x^2\\)"]))
            .docx(Is(&["As x2 grows."]))
            .text(As(&["As x² grows."]))
            .pptx(Is(&["As x² grows."])),
        Construct::Emphasis => {
            row("*Now* or later.\n", Is(&["<em>Now</em>"]), Is(&["Now or"]), Is(&["*Now*"])).latex(Is(&["\\emph{Now} or"])).text(Is(&["_Now_ or"]))
        }
        Construct::Strong => {
            row("**Now** or later.\n", Is(&["<strong>Now</strong>"]), Is(&["Now or"]), Is(&["**Now**"])).latex(Is(&["\\textbf{Now} or"]))
                .text(Is(&["*Now* or"]))
        }
        Construct::Strike => row("~~Now~~ or later.\n", Is(&["<del>Now</del>"]), Is(&["Now or"]), Is(&["~~Now~~"])).latex(Is(&["\\sout{Now} or"]))
            .text(Is(&["~Now~ or"])),
        Construct::Styled => row(
            "CO<sub>2</sub> and <kbd>Enter</kbd>.\n",
            As(&["CO<sub>2</sub>", "<kbd>Enter</kbd>"]),
            Is(&["CO2", "Enter"]),
            As(&["CO<sub>2</sub>"]),
        ).latex(Is(&["CO\\textsubscript{2} and \\vlkey{Enter}."]))
        .text(As(&["CO₂ and [Enter]."])),
        Construct::Link => row(
            "[Growers](https://example.org/a \"All\").\n",
            Is(&["<a href=\"https://example.org/a\" title=\"All\">Growers</a>"]),
            Is(&["Growers"]),
            Is(&["[Growers](https://example.org/a \"All\")"]),
        ),
        Construct::Reference => row(
            "```sh @a caption=\"Said\"\necho x\n```\n\nSee [](@a).\n",
            Is(&["<a href=\"#a\">Listing\u{a0}1</a>"]),
            Is(&["See Listing 1"]),
            Is(&["<a id=\"a\"></a>\n\n*Listing 1. Said*\n\n```sh", "See [Listing\u{a0}1](#a)."]),
        ).notebook(Is(&["<a id=\"a\"></a>*Listing 1.* Said", "See [Listing\u{a0}1](#a)."])).latex(Is(&["See Listing~\\ref{a}."])),
        Construct::Citation => row(
            "+++\nreferences = \"a.bib\"\n+++\n\nAs [p. 4](@wren) says.\n",
            Is(&["href=\"#work-wren\"", "2024"]),
            Is(&["Wren 2024"]),
            Is(&["](#work-wren)"]),
        )
        .latex(Is(&["\\parencite[{p. 4}]{wren}"])),
        Construct::SectionReference => row(
            "## Wiring {#wiring}\n\nSee [](@wiring).\n",
            Is(&["<a href=\"#wiring\">\u{201c}Wiring\u{201d}</a>"]),
            Is(&["See “Wiring”"]),
            Is(&["## Wiring <a id=\"wiring\"></a>", "See [“Wiring”](#wiring)."]),
        ).latex(Is(&["\\hyperref[wiring]{“Wiring”}"])),
        Construct::Image => row(
            "A ![dot](a.svg \"T\") here.\n",
            Is(&["<img src=\"data:image/svg+xml;base64,", "alt=\"dot\" title=\"T\">"]),
            Is(&["A", "here."]),
            Is(&["![dot](a.svg \"T\")"]),
        ).epub(Is(&["<img src=\"pictures/", "alt=\"dot\" title=\"T\"/>"])),
        Construct::RemoteImage => row(
            "A ![map](https://example.org/m.png).\n",
            As(&["<a href=\"https://example.org/m.png\">map</a>"]),
            As(&["map"]),
            Is(&["![map](https://example.org/m.png)"]),
        ),
        Construct::Note => row(
            "Dry[^1] soil.\n\n[^1]: Below ten parts.\n",
            Is(&["<a id=\"note-mark-1\"", "<li id=\"note-1\" value=\"1\">\n<p>Below ten parts.</p>"]),
            Is(&["Below ten parts."]),
            Is(&["Dry[^1] soil.", "[^1]: Below ten parts."]),
        ).epub(Is(&["epub:type=\"noteref\"", "<aside epub:type=\"footnote\"", "<p>Below ten parts.</p>"]))
        .deck(Is(&["--note-1\"><sup>1</sup>"])),
        Construct::InlineHtml => row(
            "Plain <blink>now</blink>.\n",
            Is(&["<blink>now</blink>"]),
            Told("`<blink>` says nothing in the PDF; what stands in it is kept", 1),
            Is(&["<blink>now</blink>"]),
        ).latex(Told("`<blink>` says nothing in the LaTeX source; what stands in it is kept", 1)).epub(Told("`<blink>` says nothing in the book; what stands in it is kept", 1))
        .docx(Told("`<blink>` says nothing in the office document; what stands in it is kept", 1))
        .text(Told("`<blink>` says nothing in the text; what stands in it is kept", 1))
        .pptx(Told("`<blink>` says nothing in the office slides", 1))
        .deck_pdf(Told("`<blink>` says nothing in the PDF of the deck; what stands in it is kept", 1)),
        Construct::SoftBreak => row("One\ntwo.\n", Is(&["One\ntwo."]), Is(&["One two."]), Is(&["One\ntwo.\n"])).latex(Is(&["One\ntwo."])),
        Construct::LineBreak => {
            row("One\\\ntwo.\n", Is(&["One<br>\ntwo."]), Is(&["One\ntwo."]), Is(&["One\\\ntwo.\n"])).latex(Is(&["One\\\\{}\ntwo."])).epub(Is(&["One<br/>\ntwo."]))
        }
        Construct::Output => row(
            "```sh @a\nprintf '\\033[31mred\\033[0m & plain\\n'\n```\n",
            Is(&["<pre class=\"output\"", "<span class=\"ink-red\">red</span> &amp; plain"]),
            Is(&["red & plain"]),
            As(&["```text\nred & plain\n```"]),
        ).notebook(As(&["streamstdoutred & plain"])),
        Construct::Value => row(
            "```python @a\n20 + 22\n```\n",
            Is(&["<pre class=\"output value\"", "<samp>42</samp>"]),
            Is(&["42"]),
            Is(&["```text\n42\n```"]),
        ).notebook(Is(&["execute_result\n42"])),
        Construct::Notices => row(
            "```python @a show=code,notices\nimport sys\nprint(\"dry\", file=sys.stderr)\n```\n",
            Is(&["<pre class=\"output notice-text\"", "<samp>dry</samp>"]),
            Is(&["dry"]),
            As(&["```text\ndry\n```"]),
        ).notebook(Is(&["streamstderrdry"])),
        Construct::Failure => row(
            "```python @a exit=1\nraise ValueError(\"too dry\")\n```\n",
            Is(&["<pre class=\"output failure\"", "ValueError: too dry"]),
            Is(&["ValueError: too dry"]),
            As(&["ValueError: too dry"]),
        ),
        Construct::Statement => row(
            "```python @a transcript=yes\nx = 6\nx * 7\n```\n",
            Is(&["join transcript", "<samp>42</samp>"]),
            Is(&["x * 7", "42"]),
            As(&["x * 7\n```", "```text\n42\n```"]),
        ).notebook(As(&["execute_result\n42", "x * 7"])).latex(Is(&["42"])),
        Construct::PrintedHtml => row(
            "```sh @a as=html\necho '<p class=\"x\">Set <b>text</b></p>'\n```\n",
            Is(&["<p class=\"x\">Set <b>text</b></p>"]),
            As(&["Set text"]),
            Is(&["<p class=\"x\">Set <b>text</b></p>"]),
        ).latex(As(&["Set \\textbf{text}"])).epub(As(&["Set <strong>text</strong>"]))
        .text(As(&["Set *text*"])),
        Construct::LeftOutLines => row(
            "```sh @a trim=1,1\nseq 101 105\n```\n",
            Is(&["3 more lines are left out here", "<samp>105</samp>"]),
            Is(&["3 more lines are left out here", "105"]),
            Is(&["*3 more lines are left out here*"]),
        ).notebook(Is(&["3 more lines are left out here", "105"])),
        Construct::ResultTable => row(
            "```sh @a as=table\nprintf 'plot,depth\\nNorth,30\\n'\n```\n",
            Is(&["<th scope=\"col\">plot</th>", "<td class=\"number\">30</td>"]),
            Is(&["plot", "depth", "North", "30"]),
            Is(&["| plot | depth |\n| --- | --: |\n| North | 30 |\n"]),
        ).notebook(Is(&["<th>depth</th>", "<td>30</td>", "North\t30"])),
        Construct::LeftOutRows => row(
            "```sh @a as=table trim=1,1\nprintf 'n\\n101\\n102\\n103\\n'\n```\n",
            Is(&[">101<", "1 row left out", ">103<"]),
            Is(&["101", "1 row left out", "103"]),
            Is(&["| 101 |", "1 row left out", "| 103 |"]),
        ).notebook(Is(&["1 row left out", "<td>103</td>"])),
        Construct::Figure => row(
            "```sh @a alt=\"A dot\"\ncp a.svg $VINELOOM_FIGURES/a.svg\n```\n",
            Is(&["<div class=\"picture\"><img src=\"data:image/svg+xml;base64,", "alt=\"A dot\""]),
            Is(&["cp a.svg"]),
            Is(&["![A dot](guide-parts/a-1.svg)"]),
        ).notebook(Is(&["<circle r=\"4\"/></svg>\nA dot"])).latex(Is(&[",alt={A dot}]{guide-parts/"])).epub(Is(&["<div class=\"picture\"><img src=\"pictures/", "alt=\"A dot\""])),
        Construct::PrintedMarkdown => row(
            "```sh @ as=markdown show=text\necho 'Very **dry**, x<sub>1</sub>.'\n```\n",
            Is(&["Very <strong>dry</strong>, x<sub>1</sub>."]),
            Is(&["Very dry"]),
            Is(&["Very **dry**, x<sub>1</sub>."]),
        ).latex(Is(&["Very \\textbf{dry}, x\\textsubscript{1}."]))
        .text(Is(&["Very *dry*, x₁."])),
        Construct::Caption => row(
            "```sh @a caption=\"What *it* says, H<sub>2</sub>O\"\necho x\n```\n",
            Is(&["Listing 1.</span> What <em>it</em> says, H<sub>2</sub>O"]),
            Is(&["Listing 1. What it says, H2O"]),
            Is(&["*Listing 1. What it says, H"]),
        ).notebook(Is(&["*Listing 1.* What it says, H2O"])).latex(Is(&["\\vllistingcaption{What \\emph{it} says, H\\textsubscript{2}O}"]))
        .text(Is(&["Listing 1. What _it_ says, H₂O"])),
    }
}

/// What a weave of a document gives: the trees, each format as a reader gets it, and what is told for each.
struct Given {
    trees: Trees,
    formats: Vec<(Format, String, Vec<Diagnostic>)>,
}

fn woven(document: &str) -> Option<Given> {
    let project = Project::with(document);
    project
        .write("a.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><circle r=\"4\"/></svg>");
    project.write("a.csv", "plot,moisture\nNorth,31.5\n");
    project.write("a.bib", "@book{wren, title = {Reading Soil}, author = {Wren, Tomas}, date = {2024}}\n");
    let (secret, file) = (Secret::passing().unwrap(), project.path("guide.vine.md"));
    let variables = ["PATH", "HOME"].map(|name| (name.into(), std::env::var_os(name).unwrap()));
    let caller = Surroundings { variables: variables.into_iter().collect(), moment: "case table".into() };
    let mut order = order_for(&file);
    order.formats = &Format::ALL;
    let opened = Opened::for_order(&order, &secret).unwrap_or_else(|problem| panic!("{problem:?}"));
    let weave = Weave::of(order, opened, &[], &secret).unwrap_or_else(|problem| panic!("{document}: {problem:?}"));
    let woven = weave.weave(&caller, &Interrupt::default(), &mut |_: Event| {});
    let woven = woven.unwrap_or_else(|problem| panic!("{document}: {problem:?}"));
    let mut formats = Vec::new();
    for made in &woven.exports {
        let text = match made.format {
            Format::Html | Format::Markdown | Format::Deck | Format::Text | Format::Latex => {
                String::from_utf8(made.export.bytes.clone()).unwrap()
            }
            // A space that does not break is a space like others there.
            Format::Pdf => tool("pdftotext", &[&project.path("guide.pdf"), "-".as_ref()])?.out.replace('\u{a0}', " "),
            Format::Notebook => support::text_of_notebook(&made.export.bytes),
            Format::Epub => support::text_of_book(&made.export.bytes),
            Format::Pptx | Format::Docx => support::text_of_office_file(&made.export.bytes),
            Format::DeckPdf => {
                tool("pdftotext", &[&project.path("guide-deck.pdf"), "-".as_ref()])?.out.replace('\u{a0}', " ")
            }
        };
        formats.push((made.format, text, made.export.findings.clone()));
    }
    Some(Given { trees: woven.trees, formats })
}

#[test]
fn every_construct_is_in_every_format_what_the_table_says() {
    let mut wrong = Vec::new();
    for &construct in ALL {
        let row = row(construct);
        let Some(given) = woven(row.document) else { return };
        let has = |tree: &Woven| {
            let (plain, _) = without_html(tree, &std::collections::BTreeMap::new(), Format::Pdf);
            constructs_of(tree).contains(&construct) || constructs_of(&plain).contains(&construct)
        };
        let there = match construct {
            // What stands for some formats alone is in the trees of these alone.
            Construct::For => given.trees.iter().count() > 1,
            _ => given.trees.iter().any(has),
        };
        assert!(there, "the document of {construct:?} has no such thing: {:?}", given.trees);
        for (format, text, found) in &given.formats {
            let mut fails = |what: String| wrong.push(format!("{construct:?} in {format}: {what}\n{text}"));
            let told = |finding: &Diagnostic| finding.message.clone();
            match row.cell(*format) {
                Is(parts) | As(parts) => {
                    parts.iter().filter(|part| !text.contains(**part)).for_each(|part| fails(format!("no {part}")));
                    if !found.is_empty() {
                        fails(format!("told: {:?}", found.iter().map(told).collect::<Vec<_>>()));
                    }
                }
                LeftOut(parts) => {
                    parts.iter().filter(|part| text.contains(**part)).for_each(|part| fails(format!("shows {part}")));
                }
                Told(words, line) => {
                    let lines = |finding: &&Diagnostic| {
                        let start = finding.span.map_or(0, |span| span.start);
                        finding.message.contains(words) && row.document[..start].matches('\n').count() + 1 == *line
                    };
                    if !found.iter().any(|finding| lines(&finding)) {
                        fails(format!("not told {words} in line {line}: {found:?}"));
                    }
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{} cells are wrong:\n\n{}", wrong.len(), wrong.join("\n\n"));
}
