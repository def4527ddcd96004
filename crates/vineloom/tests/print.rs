//! Print, through the built program: layouts, fonts, what is told with its line, and documents that ask for much.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, Said, tool};

/// A document that is exported as a PDF with these settings.
fn printed(settings: &str, body: &str) -> (Project, Said) {
    let project = Project::new();
    let said = weave(&project, settings, body);
    (project, said)
}

fn weave(project: &Project, settings: &str, body: &str) -> Said {
    let head = format!(
        "+++\ntitle = \"The Marl probe\"\nauthors = [\"Ines Calloway\"]\n[export]\nto = [\"pdf\"]\n{settings}\n+++\n\n"
    );
    project.write("guide.vine.md", head + body);
    project.weave()
}

/// The text of each page, as a reader's program takes it out; without the tool, nothing.
fn pages(project: &Project) -> Option<Vec<String>> {
    let said = tool("pdftotext", &["-layout".as_ref(), &project.path("guide.pdf"), "-".as_ref()])?;
    assert_eq!(said.code, 0, "{said:?}");
    Some(said.out.trim_end_matches('\u{c}').split('\u{c}').map(String::from).collect())
}

fn sound(project: &Project) {
    if let Some(said) = tool("qpdf", &["--check".as_ref(), &project.path("guide.pdf")]) {
        assert_eq!(said.code, 0, "{said:?}");
    }
    if let Some(said) = tool("pdffonts", &[&project.path("guide.pdf")]) {
        // The columns after the name: type, encoding, emb, sub, uni, object.
        for line in said.out.lines().skip(2) {
            let words: Vec<&str> = line.split_whitespace().rev().collect();
            assert_eq!(words[4], "yes", "every font is embedded: {line}");
        }
    }
}

const CHAPTERS: &str =
    "Before all chapters.\n\n# Soil\n\nWords on soil.\n\n## Clay\n\nWords on clay.\n\n# Water\n\nWords on water.\n";

#[test]
fn a_report_has_a_title_page_and_each_chapter_begins_a_page() {
    let (project, said) = printed("layout = \"report\"\nnumbered = true", CHAPTERS);
    assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
    assert!(said.out.contains("guide.pdf 4 pages"), "{}", said.out);
    let Some(pages) = pages(&project) else { return };
    assert!(pages[0].contains("The Marl probe") && pages[0].contains("Ines Calloway"), "{}", pages[0]);
    assert!(!pages[0].contains("1 of 4"), "a title page has no number: {}", pages[0]);
    assert!(pages[1].contains("Contents") && pages[1].contains("1.1 Clay"), "{}", pages[1]);
    assert!(pages[1].contains("Before all chapters"));
    assert!(pages[2].trim_start().starts_with("1 Soil") && pages[2].contains("Words on clay"), "{}", pages[2]);
    assert!(pages[3].trim_start().starts_with("2 Water") && pages[3].contains("4 of 4"), "{}", pages[3]);
    let long = format!("# Soil\n\n{}", "The soil dries a little each day. ".repeat(200));
    let (project, _) = printed("layout = \"report\"", &long);
    let Some(long) = self::pages(&project) else { return };
    let head = long[2].lines().find(|line| !line.trim().is_empty()).unwrap();
    assert!(head.contains("Soil") && head.contains("The Marl probe"), "chapter and title run along: {head}");
}

#[test]
fn a_handout_leaves_room_for_notes_and_has_contents_only_when_asked() {
    let (project, said) = printed("layout = \"handout\"", CHAPTERS);
    assert!(said.err.is_empty(), "{said:?}");
    let Some(text) = pages(&project).map(|pages| pages.concat()) else { return };
    assert!(text.contains("Notes") && !text.contains("Contents"), "{text}");
    let (project, _) = printed("layout = \"handout\"\ncontents = \"top\"", CHAPTERS);
    assert!(pages(&project).unwrap().concat().contains("Contents"));
}

#[test]
fn paper_margins_columns_and_sizes_are_the_writers() {
    let words = "The soil dries a little each day and fills up again with every rain. ".repeat(60);
    let count = |settings: &str| {
        let (_, said) = printed(settings, &words);
        assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
        let pages = said.out.split("guide.pdf ").nth(1).unwrap().split(' ').next().unwrap();
        pages.parse::<usize>().unwrap()
    };
    assert_eq!(count(""), 2);
    assert_eq!(count("margins = \"1cm\"\nfont-size = \"9pt\""), 1);
    assert_eq!(count("columns = 2\nfont-size = \"9pt\""), 1);
    assert!(count("font-size = \"20pt\"") >= 4);
    assert!(count("paper = \"a5\"") >= 3);
    let (_, said) = printed("margins = [\"2cm\", \"9cm\"]", &words);
    assert!(said.code == 1 && said.err.contains("the margins leave no room for text on the page"), "{said:?}");
    let (_, said) = printed("font-size = \"0pt\"", &words);
    assert!(said.code == 1 && said.err.contains("sizes from 4pt to 72pt"), "{said:?}");
    let (_, said) = printed("standard = \"a-2u\"", &words);
    assert!(said.code == 1 && said.err.contains("give the document a day"), "{said:?}");
    for (setting, allowed) in [
        ("margins = \"2 thumbs\"", "one to four lengths"),
        ("font-size = 12", "a length such as 10.5pt"),
        ("columns = 4", "a whole number from 1 to 3"),
        ("layout = \"book\"", "one of article, report, handout"),
    ] {
        let (_, said) = printed(setting, &words);
        assert!(said.code != 0 && said.err.contains(allowed) && said.err.contains("guide.vine.md:6"), "{said:?}");
    }
}

#[test]
fn fonts_come_from_the_system_or_a_file() {
    let Some(found) = tool("fc-match", &["-f".as_ref(), "%{file}".as_ref(), "FreeSans".as_ref()]) else { return };
    let fonts = |project: &Project| tool("pdffonts", &[&project.path("guide.pdf")]).unwrap().out;
    let (project, said) = printed("font = \"FreeSans\"\ncode-font = \"FreeMono\"", "Words and `code`.\n");
    assert!(said.err.is_empty() && fonts(&project).contains("FreeSans") && fonts(&project).contains("FreeMono"));
    let project = Project::new();
    project.write("fonts/House.otf", std::fs::read(found.out).unwrap());
    let said = weave(&project, "font = [\"fonts/House.otf\", \"DejaVu Sans Mono\"]", "Words.\n");
    assert!(said.err.is_empty() && fonts(&project).contains("FreeSans"), "{said:?} {}", fonts(&project));
    let (_, said) = printed("font = \"FreeSanz\"", "Words.\n");
    assert!(said.code == 1 && said.err.contains("there is no font `FreeSanz` on this system"), "{said:?}");
    assert!(said.err.contains("did you mean `FreeSans`?"), "{said:?}");
    let (_, said) = printed("font = \"House.ttf\"", "Words.\n");
    assert!(said.code == 1 && said.err.contains("the font House.ttf is not there"), "{said:?}");
    let project = Project::new();
    project.write("House.ttf", "words");
    let said = weave(&project, "font = \"House.ttf\"", "Words.\n");
    assert!(said.code == 1 && said.err.contains("House.ttf is not a font"), "{said:?}");
}

#[test]
fn letters_that_are_not_built_in_come_from_the_system_and_missing_ones_are_told_with_their_line() {
    let (project, said) = printed("", "Plain words.\n\nA seedling 🌱 in 土壤.\n");
    if std::env::var_os("VINELOOM_TEST_TOOLS").is_some() {
        assert!(said.err.is_empty(), "the test machine has such fonts: {said:?}");
        assert!(pages(&project).unwrap().concat().contains("土壤"));
        sound(&project);
    }
    project.write(
        "土.svg",
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"90\" height=\"20\"><text y=\"15\">土</text></svg>",
    );
    weave(&project, "", "![Soil](土.svg)\n");
    if let Some(fonts) = tool("pdffonts", &[&project.path("guide.pdf")]) {
        assert!(fonts.out.contains("WenQuanYi"), "letters of a drawing too: {}", fonts.out);
    }
    project.write(
        "lost.svg",
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"90\" height=\"20\"><text y=\"15\">\u{F1234}</text></svg>",
    );
    let said = weave(&project, "", "Words.\n\n![Lost](lost.svg)\n");
    assert!(said.err.contains("no font here has the letter \u{F1234} (U+F1234) of this drawing"), "{said:?}");
    assert!(said.err.contains("guide.vine.md:11:1"), "{said:?}");
    // Characters of private use and of scripts that are yet to be have no shape anywhere.
    let (project, said) = printed("", "Plain words.\n\nMore, then\none \u{F1234} here.\n\n```sh @a\necho fine\n```\n");
    assert_eq!(said.code, 0, "{said:?}");
    assert!(said.err.contains("no font here has the letter \u{F1234} (U+F1234)"), "{said:?}");
    assert!(said.err.contains("guide.vine.md:12:5"), "the very line: {said:?}");
    assert_eq!(said.err.matches("warning").count(), 1, "{said:?}");
    sound(&project);
    assert_eq!(project.weave().err, said.err, "what comes from the store says the same");
}

const DOT: &str = "import os\nopen(os.environ['VINELOOM_FIGURES'] + '/a.svg', 'w').write('<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"80\" height=\"40\"><circle cx=\"20\" cy=\"20\" r=\"15\"/></svg>')\n";

#[test]
fn a_figure_without_words_is_one_warning_with_its_line_and_costs_the_claim() {
    let holds = |project: &Project| project.read("guide.pdf").contains("pdfuaid:part");
    let figure = |options: &str| printed("", &format!("Words.\n\n```python @dot {options}\n{DOT}```\n"));
    let (project, said) = figure("caption=\"A dot\"");
    assert!(
        said.err.contains("this figure has no alternative text, so the PDF makes no claim to PDF/UA-1"),
        "{said:?}"
    );
    assert!(said.err.contains("guide.vine.md:11:1") && said.err.matches("warning").count() == 1, "{said:?}");
    assert!(!holds(&project) && project.read("guide.pdf").contains("/StructTreeRoot"), "tagged all the same");
    for words in ["alt=\"A black dot\"", "alt=\"\""] {
        let (project, said) = figure(words);
        assert!(said.err.is_empty() && holds(&project), "{said:?}");
    }
}

#[test]
fn html_says_in_print_what_it_can_and_the_rest_is_told() {
    let body = "CO<sub>2</sub>, press <kbd>Ctrl</kbd>, <mark>marked *words*</mark>, one<br>two.\n\n\
        <details>\n<summary>More <b>words</b></summary>\n\nMarkdown *inside*.\n\n</details>\n\n\
        <table>\n<caption>Plots</caption>\n<tr><th>plot<th>moisture\n<tr><td>North<td>31.5\n</table>\n\n\
        <img src=\"dot.svg\" alt=\"A dot\"> and <img src=\"none.svg\" alt=\"no picture\">\n\n<video src=\"x.mp4\"></video>\n\n\
        ```python @frame as=html show=text\nprint('<table><tr><th>a</th></tr><tr><td>10.25</td></tr></table>')\n```\n\n\
        ```python @gone as=html show=text\nprint('<script>alert(1)</script>')\n```\n";
    let project = Project::new();
    project.write(
        "dot.svg",
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"80\" height=\"40\"><circle r=\"15\"/></svg>",
    );
    let said = weave(&project, "", body);
    assert_eq!(said.code, 0, "{said:?}");
    for (message, line) in [
        ("`<video>` says nothing in the PDF; it is left out", ":26:1"),
        ("the picture none.svg is not there; its words stand in the PDF", ":24:"),
        ("a script does not run in the PDF", ":33:"),
    ] {
        assert!(said.err.contains(message) && said.err.contains(line), "{message} {said:?}");
    }
    assert_eq!(said.err.matches("warning").count(), 3, "{said:?}");
    sound(&project);
    if let Some(text) = pages(&project).map(|pages| pages.concat()) {
        for words in ["marked words", "More words", "Markdown inside", "Plots", "North", "31.5", "10.25", "no picture"]
        {
            assert!(text.contains(words), "{words}: {text}");
        }
        assert!(!text.contains('<') && !text.contains("alert"), "{text}");
    }
}

#[test]
fn the_remedy_for_html_that_print_cannot_say_is_one() {
    let (_, said) = printed(
        "",
        "::: for html\n<iframe src=\"x\"></iframe>\n\nA <video>clip</video>.\n:::\n\n::: not-for html\nA still.\n:::\n",
    );
    assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
}

#[test]
fn a_picture_that_is_broken_is_named_with_its_line_and_the_last_export_stays() {
    let (project, said) = printed("", "Words.\n");
    assert_eq!(said.code, 0);
    let before = project.read("guide.pdf");
    project.write("broken.png", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0".as_slice());
    project.write("broken.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"><rect></svg>");
    let said = weave(&project, "", "Words.\n\nSee ![It is cut short](broken.png) here.\n\n![Again](broken.png)\n");
    assert!(said.code == 1 && said.err.contains("the picture can't be read as PNG"), "{said:?}");
    assert!(said.err.contains("guide.vine.md:11:1") && said.err.contains("guide.vine.md:13:1"), "{said:?}");
    let said = weave(&project, "", "Words.\n\nMore.\n\n![Never closed](broken.svg)\n");
    assert!(said.code == 1 && said.err.contains("guide.vine.md:13:1"), "{said:?}");
    assert_eq!(project.read("guide.pdf"), before, "what was there stays");
}

#[test]
fn pictures_of_every_kind_are_printed_and_one_that_moves_stands_still() {
    let project = Project::new();
    project.write("make.py", "from PIL import Image\nImage.new('CMYK', (30, 20), (200, 20, 0, 30)).save('cmyk.jpg')\nf = [Image.new('RGB', (10, 6), (n * 90, 0, 0)) for n in (1, 2)]\nf[0].save('moves.gif', save_all=True, append_images=f[1:], duration=200)\nImage.new('RGBA', (20, 10), (5, 9, 14, 120)).save('clear.png')\nImage.new('I;16', (10, 5), 30000).save('deep.png')\nImage.new('RGB', (20, 10)).save('a.webp')\n");
    let made = tool("sh", &["-c".as_ref(), format!("cd {} && python3 make.py", project.path("").display()).as_ref()]);
    if made.is_none_or(|made| made.code != 0) && std::env::var_os("VINELOOM_TEST_TOOLS").is_none() {
        eprintln!("python3 has no pillow here: this test did not run");
        return;
    }
    project.write("own.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"90\" height=\"20\"><style>@font-face{font-family:Own;src:url(data:font/ttf;base64,AAAA)}</style><text x=\"1\" y=\"15\" font-family=\"Own\">Own words</text></svg>");
    let files = ["cmyk.jpg", "moves.gif", "clear.png", "deep.png", "a.webp", "own.svg"];
    let body: String = files.iter().map(|file| format!("![What {file} shows]({file})\n\n")).collect();
    let said = weave(&project, "", &body);
    assert!(said.code == 0 && said.err.contains("a picture that moves stands still in the PDF"), "{said:?}");
    assert!(said.err.contains("guide.vine.md:11:1") && said.err.matches("warning").count() == 1, "{said:?}");
    sound(&project);
}

/// Documents that ask for much: each has a sane page, and every word of it.
#[test]
fn documents_that_ask_for_much_have_sane_pages() {
    let lists: String = (0..8).map(|n| format!("{}- level {n}\n", "  ".repeat(n))).collect();
    let table = |columns: usize| {
        let row =
            |cell: &dyn Fn(usize) -> String| format!("|{}|\n", (0..columns).map(cell).collect::<Vec<_>>().join("|"));
        row(&|n| format!("c{n}")) + &row(&|_| "--:".into()) + &row(&|n| format!("{n}.5"))
    };
    let listing: String = (1..=2000).map(|n| format!("reading_{n} = probe({n})\n")).collect();
    let cases = [
        ("nothing at all", String::new(), 1, ""),
        (
            "a word of 500 letters",
            format!("{} and `{}`\n\n# {}\n", "y".repeat(500), "x".repeat(500), "h".repeat(300)),
            1,
            "",
        ),
        ("a figure of 3 m", "![A sheet](big.svg)\n\n![A pole](tall.svg)\n\nAfter.\n".into(), 2, "After."),
        ("only a figure", "![A sheet](big.svg)\n".into(), 1, ""),
        ("a listing of 2,000 lines", format!("```python lines=on mark=3,1990\n{listing}```\n"), 60, "reading_2000"),
        ("20,000 lines of output", "```sh @o\nseq 20000\n```\n".into(), 400, "20000"),
        ("lists eight deep", lists, 1, "level 7"),
        ("a table in a list", format!("- a\n\n  {}\n- b\n", table(3).replace('\n', "\n  ")), 1, "2.5"),
        (
            "a block in a quote in a list",
            "- > a\n  >\n  > ```sh\n  > echo in a quote\n  > ```\n".into(),
            1,
            "in a quote",
        ),
        (
            "a note in a heading",
            "# Soil[^1]\n\n# Water[^1] and[^2]\n\n[^1]: One.\n\n[^2]: Two, with\n\n    - a list\n".into(),
            1,
            "a list",
        ),
        ("from right to left", "שלום עולם\n\n- רשימה\n\nهذه فقرة\n".into(), 1, ""),
        ("five headings and no text", "# a\n\n## b\n\n### c\n\n#### d\n\n##### e\n".into(), 1, "e"),
        ("a heading without words", "#\n\n##\n\nWords.\n".into(), 1, "Words."),
        ("a quote 20 deep", format!("{} deep\n", ">".repeat(20)), 1, "deep"),
        (
            "formulas everywhere",
            "# $x^2$ ends\n\n| $a$ |\n|---|\n| $\\frac{1}{2}$ |\n\n- $$y$$\n\nEnd.[^1]\n\n[^1]: $z$\n".into(),
            1,
            "End.",
        ),
    ];
    for (what, body, most, holds) in cases {
        let project = Project::new();
        for (name, width, height) in [("big.svg", 3000, 2000), ("tall.svg", 20, 3000)] {
            project.write(name, format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}mm\" height=\"{height}mm\"><rect width=\"9\" height=\"9\"/></svg>"));
        }
        let said = weave(&project, "", &body);
        assert!(said.code == 0 && said.err.is_empty(), "{what}: {said:?}");
        sound(&project);
        let Some(pages) = pages(&project) else { continue };
        assert!(pages.len() <= most, "{what}: {} pages", pages.len());
        assert!(pages.join("").contains(holds), "{what}: {pages:?}");
    }
    let (project, said) = printed("", &format!("Words.\n\n{}\nAfter.\n", table(60)));
    assert!(said.code == 0 && said.err.contains("the table of 60 columns is set in"), "{said:?}");
    assert!(said.err.contains("guide.vine.md:11:1"), "{said:?}");
    if let Some(text) = pages(&project).map(|pages| pages.concat()) {
        assert!((0..60).all(|n| text.contains(&format!("{n}.5"))), "{text}");
        assert!(text.contains("Columns 2–") && text.contains("–60 of 60"), "{text}");
    }
}

#[test]
fn what_is_nested_too_deep_is_told() {
    for body in [format!("{} deep\n", ">".repeat(300)), "<ul><li>".repeat(300), "<sub>".repeat(300)] {
        let (_, said) = printed("", &body);
        assert!(said.code == 1 && said.err.contains("something in the text is nested too deep"), "{said:?}");
        assert!(said.err.contains("some thirty deep") && said.err.matches("error").count() == 1, "{said:?}");
    }
    let (_, said) = printed("", &("<div>".repeat(5000) + "deep"));
    assert_eq!(said.code, 0, "what leaves nothing behind may be as deep as it likes: {said:?}");
}

/// No caption on another page than its figure, no heading at a page's foot: wherever the pages happen to break.
#[test]
fn captions_stay_with_figures_and_headings_with_what_follows() {
    let project = Project::new();
    // A picture of 8 by 8 pixels, 40 mm wide on paper by way of its block.
    let png = {
        let mut bytes = std::io::Cursor::new(Vec::new());
        image::RgbImage::from_pixel(400, 220, image::Rgb([53, 94, 141]))
            .write_to(&mut bytes, image::ImageFormat::Png)
            .unwrap();
        bytes.into_inner()
    };
    project.write("shot.png", png);
    let mut body = String::new();
    for n in 1..=24 {
        body += &format!("# Part {n}\n\n{}\n\n", "Words about soil and rain. ".repeat(1 + n * 7 % 40));
        body += &format!("::: figure \"Caption {n}\" #f{n}\n![What it shows](shot.png)\n:::\n\n");
    }
    let said = weave(&project, "contents = \"none\"", &body);
    assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
    let Some(pages) = pages(&project) else { return };
    let images = tool("pdfimages", &["-list".as_ref(), &project.path("guide.pdf")]).unwrap().out;
    for (at, page) in pages.iter().enumerate() {
        let here = images.lines().skip(2).filter(|line| line.split_whitespace().next() == Some(&(at + 1).to_string()));
        assert_eq!(here.count(), page.matches("Caption").count(), "page {}: {page}", at + 1);
        let last = page.lines().rfind(|line| !line.trim().is_empty() && !line.contains(" of ")).unwrap_or("");
        assert!(!last.trim().starts_with("Part"), "page {} ends with a heading: {page}", at + 1);
    }
    assert!(pages.len() > 8, "there were breaks to get wrong: {}", pages.len());
}

#[test]
fn a_reference_to_what_only_the_page_shows_is_words_in_print() {
    let body = "See [](@dot), [](@more) and [](@here).\n\n::: for html\n\n## More {#more}\n\n```sh @dot caption=\"A dot\"\necho .\n```\n\n:::\n\n## Here {#here}\n\nEnd.\n";
    let (project, said) = printed("numbered = true", body);
    assert_eq!(said.code, 0, "{said:?}");
    assert!(
        said.err.contains("a reference to `@dot` leads nowhere in the PDF") && said.err.contains("guide.vine.md:9:"),
        "{said:?}"
    );
    assert_eq!(said.err.matches("warning").count(), 2, "{said:?}");
    sound(&project);
}

/// Everything in everything: notes in headings and heads of tables, pictures in headings, tabs in columns, figures in
/// notices, lists in tables in lists, on two columns.
#[test]
fn a_crowded_document_keeps_its_shape_and_its_claim() {
    let project = Project::with(include_str!("data/crowded.vine.md"));
    project.write("dot.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"200\" height=\"100\"><rect width=\"200\" height=\"100\"/></svg>");
    let said = project.weave();
    assert!(said.code == 0 && said.err.is_empty(), "{said:?}");
    assert!(project.read("guide.pdf").contains("pdfuaid:part"), "accessible by the standard all the same");
    sound(&project);
    let Some(pages) = pages(&project) else { return };
    let notes = |page: &String| page.matches("In a heading and a header").count();
    assert_eq!(pages.iter().map(notes).sum::<usize>(), 1, "a note stands once, with its heading: {pages:#?}");
    let contents = pages.iter().find(|page| page.contains("Contents")).unwrap();
    assert!(contents.contains("A heading with") && contents.contains("1.1") | contents.contains("2.1"), "{contents}");
    assert!(
        pages.join("").contains("Listing 2. In a notice") && pages.join("").contains("See Figure 1 and Listing 1.")
    );
}
