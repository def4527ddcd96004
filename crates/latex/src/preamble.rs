//! What stands before the text: the class, the packages, our own commands.

use crate::LatexOptions;
use crate::escape::text;
use std::fmt::Write as _;
use vineloom_export::html::Palette;
use vineloom_woven::Word;
use vineloom_woven::{Author, Block, Head, Woven, plain_text};

/// The class of the document, first of all.
pub(crate) fn class(woven: &Woven, options: &LatexOptions) -> String {
    let mut words: Vec<&str> = options.class_options.split(',').map(str::trim).filter(|it| !it.is_empty()).collect();
    if words.is_empty() && options.document_class == "article" {
        words = vec!["11pt", "a4paper"];
    }
    let words = if words.is_empty() { String::new() } else { format!("[{}]", words.join(",")) };
    // A source that says what language it is in can be read aloud in it.
    let language = if woven.head.language.is_empty() { "en" } else { &woven.head.language };
    format!("% !TeX spellcheck = {}\n\\documentclass{words}{{{}}}\n", text(language), options.document_class)
}

/// What formulas are read with in other formats and the packages lack. An operator may be declared where it is used.
const FORMULAS: &str = "\\usepackage{bm}\n\\IfFileExists{mathrsfs.sty}{\\usepackage{mathrsfs}}{\\providecommand{\\mathscr}[1]{\\mathcal{#1}}}\n\
     \\providecommand{\\mathbfit}[1]{\\boldsymbol{#1}}\n\\providecommand{\\lt}{<}\n\\providecommand{\\gt}{>}\n\
     \\makeatletter\n\\def\\vl@operator#1#2{\\def#1{\\operatorname{#2}}}\n\\def\\vl@limits#1#2{\\def#1{\\operatorname*{#2}}}\n\
     \\AddToHook{begindocument/end}{\\def\\DeclareMathOperator{\\@ifstar\\vl@limits\\vl@operator}}\n\\makeatother\n";

/// The packages and our commands; each package is one of a common installation.
pub(crate) fn preamble(woven: &Woven, options: &LatexOptions, colours: &Palette) -> String {
    let mut out = String::from(
        "\\usepackage{iftex}\n\
         \\ifPDFTeX\n\\usepackage[T1]{fontenc}\n\\usepackage[utf8]{inputenc}\n\\usepackage{textcomp}\n\\usepackage{lmodern}\n\\else\n\\usepackage{fontspec}\n\\fi\n\
         \\usepackage{amsmath}\n\\usepackage{amssymb}\n\\usepackage{mathtools}\n\\IfFileExists{cancel.sty}{\\usepackage{cancel}}{}\n\
         \\IfFileExists{microtype.sty}{\\usepackage{microtype}}{}\n\
         \\usepackage{xcolor}\n\\usepackage{graphicx}\n\\usepackage{booktabs}\n\\usepackage{longtable}\n\\usepackage{array}\n\\usepackage{enumitem}\n\
         \\usepackage{framed}\n\\IfFileExists{ulem.sty}{\\usepackage[normalem]{ulem}}{\\newcommand{\\sout}[1]{#1}\\newcommand{\\uline}[1]{\\underline{#1}}}\n\\usepackage{fvextra}\n\\usepackage{hyperref}\n",
    );
    for (class, name) in [
        ("c", "Comment"),
        ("k", "Keyword"),
        ("s", "Text"),
        ("n", "Number"),
        ("l", "Constant"),
        ("f", "Function"),
        ("t", "Type"),
        ("o", "Operator"),
    ] {
        if let Some(colour) = colours.code(class) {
            let slant = if class == "c" { "\\itshape" } else { "" };
            // Writing to a String can't fail, here and below.
            let _ = writeln!(
                out,
                "\\definecolor{{vl{name}}}{{HTML}}{{{}}}\n\\newcommand{{\\vl{class}}}[1]{{{{{slant}\\textcolor{{vl{name}}}{{#1}}}}}}",
                colour.to_uppercase()
            );
        }
    }
    let named = [
        ("Ground", colours.paper_shade),
        ("Soft", colours.ink_soft),
        ("Failure", colours.strands[1]),
        ("Link", colours.link),
    ];
    for (name, colour) in named {
        let _ = writeln!(out, "\\definecolor{{vl{name}}}{{HTML}}{{{}}}", colour.to_uppercase());
    }
    for (at, colour) in colours.strands.iter().enumerate() {
        let _ = writeln!(
            out,
            "\\definecolor{{vlStrand{}}}{{HTML}}{{{}}}",
            char::from(b'A' + at as u8),
            colour.to_uppercase()
        );
    }
    out.push_str(
        "\\definecolor{vlMark}{HTML}{F5E3B3}\n\
         \\newcommand{\\vlback}{\\textbackslash}\n\\newcommand{\\vlopen}{\\{}\n\\newcommand{\\vlclose}{\\}}\n\
         \\newcommand{\\vlkey}[1]{{\\setlength{\\fboxsep}{1.5pt}\\fbox{\\footnotesize\\ttfamily #1}}}\n\
         \\newcommand{\\vlmark}[1]{\\colorbox{vlMark}{#1}}\n\
         \\DefineVerbatimEnvironment{vlcode}{Verbatim}{commandchars=\\\\\\{\\},fontsize=\\small,breaklines,breakanywhere,frame=leftline,framerule=1.2pt,framesep=6pt,highlightcolor=vlMark}\n\
         \\DefineVerbatimEnvironment{vloutput}{Verbatim}{commandchars=\\\\\\{\\},fontsize=\\footnotesize,breaklines,breakanywhere,frame=leftline,framerule=1.2pt,framesep=6pt}\n\
         \\newenvironment{vlnotice}[1]{\\begin{leftbar}\\noindent\\textbf{#1}\\par\\noindent\\ignorespaces}{\\end{leftbar}}\n\
         \\newenvironment{vlworks}{\\begin{list}{}{\\setlength{\\leftmargin}{1.6em}\\setlength{\\itemindent}{-1.6em}\\setlength{\\itemsep}{0.2em}}}{\\end{list}}\n\
         \\setlength{\\belowcaptionskip}{0.5em}\n\
         \\newcounter{vllisting}\n\
         \\newcommand{\\vllistingcaption}[1]{\\par\\noindent\\refstepcounter{vllisting}{\\small\\textbf{\\vllistingname~\\thevllisting.} #1}\\par\\nopagebreak}\n\
         \\setlistdepth{9}\n\\newlist{vlitems}{itemize}{9}\n\\setlist[vlitems]{label=\\textbullet}\n\\newlist{vlnumbers}{enumerate}{9}\n\\setlist[vlnumbers]{label=\\arabic*.}\n\
         \\hypersetup{colorlinks=true,allcolors=vlLink}\n",
    );
    let authors: Vec<String> = woven.head.authors.iter().map(|author| text(&author.name)).collect();
    if !options.part {
        let language = if woven.head.language.is_empty() { "en" } else { &woven.head.language };
        let _ = writeln!(
            out,
            "\\hypersetup{{pdftitle={{{}}},pdfauthor={{{}}},pdflang={{{}}}}}",
            text(&plain_text(&woven.head.title)),
            authors.join(", "),
            text(language)
        );
    }
    let word = |word: Word| text(woven.head.words.word(word));
    let _ = writeln!(out, "\\newcommand{{\\vllistingname}}{{{}}}", word(Word::Listing));
    if !options.part {
        for (name, said) in [("figurename", Word::Figure), ("tablename", Word::Table), ("contentsname", Word::Contents)]
        {
            let _ = writeln!(out, "\\renewcommand{{\\{name}}}{{{}}}", word(said));
        }
    }
    if !options.numbered {
        out.push_str("\\setcounter{secnumdepth}{-1}\n");
    }
    if let Some(depth) = options.contents {
        let _ = writeln!(out, "\\setcounter{{tocdepth}}{{{depth}}}");
    }
    out.push_str(FORMULAS);
    // The writer's own commands, as they are for all formats.
    if !woven.head.macros.is_empty() {
        let _ = writeln!(out, "{}", woven.head.macros.trim());
    }
    out
}

/// What brings the works cited: in the form of author and year, or by numbers where the list has them.
pub(crate) fn works(woven: &Woven, folder: &str) -> String {
    let mut numbered = false;
    woven.each_block(&mut |block| {
        if let Block::Works(works) = block {
            numbered |= works.iter().any(|work| !work.label.is_empty());
        }
    });
    let style = if numbered { "numeric" } else { "authoryear" };
    format!("\\usepackage[style={style}]{{biblatex}}\n\\addbibresource{{{folder}/works.bib}}\n")
}

/// Title, authors and date, in the commands of the class.
pub(crate) fn title(head: &Head, class: &str, title: &str, subtitle: &str) -> String {
    if title.is_empty() {
        return String::new();
    }
    let subtitle = if subtitle.is_empty() { String::new() } else { format!("\\\\[0.4em] \\large {subtitle}") };
    let authors = authors(&head.authors, class);
    let date = head.date.as_deref().map(text).unwrap_or_default();
    let date = if matches!(class, "elsarticle" | "acmart") { String::new() } else { format!("\\date{{{date}}}\n") };
    let open = if class == "elsarticle" { "\\begin{frontmatter}\n" } else { "" };
    let close = if class == "elsarticle" { "\\end{frontmatter}\n" } else { "\\maketitle\n" };
    format!("{open}\\title{{{title}{subtitle}}}\n{authors}{date}{close}")
}

/// Authors with where they work, as the class has them.
fn authors(authors: &[Author], class: &str) -> String {
    let place = |author: &Author, before: &str, after: &str| {
        author.affiliation.as_deref().map_or_else(String::new, |place| format!("{before}{}{after}", text(place)))
    };
    let each = |one: &dyn Fn(&Author) -> String| authors.iter().map(one).collect::<String>();
    match class {
        "acmart" => each(&|it| {
            format!("\\author{{{}}}\n{}", text(&it.name), place(it, "\\affiliation{\\institution{", "}\\country{}}\n"))
        }),
        "elsarticle" => {
            each(&|it| format!("\\author{{{}}}\n{}", text(&it.name), place(it, "\\affiliation{organization={", "}}\n")))
        }
        "revtex4-2" | "revtex4-1" => {
            each(&|it| format!("\\author{{{}}}\n{}", text(&it.name), place(it, "\\affiliation{", "}\n")))
        }
        "IEEEtran" => {
            let block = |it: &Author| {
                format!("\\IEEEauthorblockN{{{}}}{}", text(&it.name), place(it, "\\IEEEauthorblockA{", "}"))
            };
            format!("\\author{{{}}}\n", authors.iter().map(block).collect::<Vec<_>>().join("\\and "))
        }
        "llncs" => {
            let names: Vec<String> = authors.iter().map(|it| text(&it.name)).collect();
            let places: Vec<String> = authors.iter().filter_map(|it| it.affiliation.as_deref().map(text)).collect();
            format!("\\author{{{}}}\n\\institute{{{}}}\n", names.join(" \\and "), places.join(" \\and "))
        }
        _ => {
            let one = |it: &Author| format!("{}{}", text(&it.name), place(it, "\\\\ \\small ", ""));
            format!("\\author{{{}}}\n", authors.iter().map(one).collect::<Vec<_>>().join(" \\and "))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn authors_stand_in_the_commands_of_the_class() {
        let author = |name: &str| Author { name: name.into(), affiliation: Some("Hollin & Ridge".into()) };
        let two = [author("Ines"), author("Tomas")];
        assert_eq!(
            authors(&two, "article"),
            "\\author{Ines\\\\ \\small Hollin \\& Ridge \\and Tomas\\\\ \\small Hollin \\& Ridge}\n"
        );
        assert!(
            authors(&two, "IEEEtran").contains("\\IEEEauthorblockN{Ines}\\IEEEauthorblockA{Hollin \\& Ridge}\\and ")
        );
        assert!(authors(&two, "revtex4-2").contains("\\author{Tomas}\n\\affiliation{Hollin \\& Ridge}\n"));
    }
}
