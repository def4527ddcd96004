//! Hostile text in every place where a text can stand, in every format, read back with the format's own parser: nothing
//! of it is live, and nothing breaks what is around it.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::{Project, tool};
use vineloom_document::{Block, InlineKind, each_block, each_inline, each_text, parse_printed};
use vineloom_woven::html_tokens::{Token, tokens};

/// Texts that would run, load or break out, were they taken for markup.
const HOSTILE: [&str; 9] = [
    "javascript:alert(1)",
    "<img src=x onerror=alert(1)>",
    "<script>alert(1)</script>",
    "\"><svg onload=alert(1)>",
    "'><iframe src=javascript:alert(1)></iframe>",
    "</title></style></script></textarea><script>alert(1)</script>",
    "--></samp></code></pre><script>alert(1)</script><!--",
    "`<script>alert(1)</script>` ](javascript:alert(1)) $<img src=x onerror=alert(1)>$",
    "&lt;script&gt; ]]> #eval(\"1\") #[x] @y \\textbf{",
];

/// A text as TOML writes it.
fn toml(text: &str) -> String {
    serde_json::to_string(text).unwrap()
}

/// A document with `hostile` in each construct, attribute and key that takes a text.
fn document(project: &Project, hostile: &str) -> String {
    let quoted = toml(hostile);
    let plain = hostile.replace(['"', '`'], "'");
    let printed = format!("cat <<'HOSTILE'\n{hostile}\nHOSTILE");
    project.write("lib.bib", format!("@book{{key, title = {{{{{0}}}}}, author = {{{{{0}}}}}, publisher = {{{{{0}}}}}, year = {{2020}}, url = {{javascript:alert(1)}}, note = {{{{{0}}}}}}}\n", hostile.replace(['{', '}', '@', '\\', '#', '&', '$'], "")));
    project.write("table.csv", format!("{0},b\n{0},1\n", format!("\"{}\"", hostile.replace('"', "\"\""))));
    let drawing = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"40\" height=\"20\" onload=\"alert(1)\"><script>alert(1)</script>\
                   <text x=\"1\" y=\"9\">t</text><a href=\"javascript:alert(1)\"><text y=\"9\">x</text></a></svg>";
    project.write("drawing.svg", drawing);
    let odd = "o'\" onerror=alert(1) x=\".svg";
    project.write(odd, drawing);
    let mut text = format!(
        "+++\ntitle = {quoted}\nsubtitle = {quoted}\nauthors = [{quoted}, {{ name = {quoted}, affiliation = {quoted} }}]\ndate = {quoted}\n\
         licence = {quoted}\nreferences = [\"lib.bib\"]\n\n[parameters]\np = {quoted}\n\n[macros]\nhost = {quoted}\n\n\
         [block.opt]\ncaption = {quoted}\nalt = {quoted}\nfold-label = {quoted}\nprefix = {quoted}\n\n\
         [export]\nto = [\"html\", \"pdf\", \"markdown\"]\nnumbered = true\n+++\n\n"
    );
    let mut add = |part: &str| {
        text.push_str(part);
        text.push_str("\n\n");
    };
    add(&format!("```sh @v show=none\n{printed}\n```"));
    add("# A heading @[v] and @[p]");
    add(
        "Prose @[v], *emphasis @[v]*, **@[p]**, ~~@[v]~~, `code @[v]`, [words @[v]](@[v]), [x](javascript:@[v]), @[doc.title], @[doc.date], @[v.code].",
    );
    add(
        "Formulas $@[v]$, $\\text{@[v]}$, $\\operatorname{@[p]}$, $a<b$, $\\host$.\n\n$$ \\text{@[v]} $$ {#eq}\n\nSee [](@eq), [](@cap), [](@tab) and [](@key), [p. @[v]](@key).",
    );
    add(
        "> quote @[v]\n\n- item @[v]\n- [ ] task @[p]\n\n| head @[v] | b |\n|---|---|\n| cell @[v] | `@[p]` |\n\nNote.[^n]\n\n[^n]: note @[v]",
    );
    add("```python @cap caption=\"Caption @[v]\" alt=\"alt\" transcript=yes\nprint(1)\n```");
    add(&format!("```sh @opt\n{printed}\n```"));
    add(&format!("```sh @notices show=all\n{{ {printed}\n}} >&2\n```"));
    add(&format!("```sh @md as=markdown\n{printed}\n```"));
    add(&format!(
        "```sh @md2 as=markdown\necho 'x'\n{printed}\necho; echo '- a'; echo '  ```'; echo '  <script>in code</script>'; echo '  ```'\n```"
    ));
    add(&format!(
        "```sh @table as=table\nprintf '\"%s\",b\\n' \"$(cat <<'HOSTILE' | sed 's/\"/\"\"/g'\n{hostile}\nHOSTILE\n)\"; printf '\"%s\",1\\n' \"$(cat <<'HOSTILE' | sed 's/\"/\"\"/g'\n{hostile}\nHOSTILE\n)\"\n```"
    ));
    add(&format!("```sh @json as=json\nprintf '%s\\n' '{}'\n```", toml(&plain).replace('\'', "")));
    add(&format!("```python @records\n[{{{0}: {0}, 'n': 1}}]\n```", toml(hostile)));
    add(&format!("```python @value\n{}\n```", toml(hostile)));
    add(&format!("```python @fail exit=any\nraise ValueError({})\n```", toml(hostile)));
    add(&format!("```sh @named\n{printed} # @:line\n```\n\nSee [](@named:line)."));
    add(&format!("```{}\nlisting {hostile}\n```", "weird<b>lang"));
    add(&format!("```text\nlisting {hostile}\n```"));
    add("![alt @[v]](drawing.svg \"title @[v]\")\n\n![Caption @[v]](table.csv)");
    add(&format!("![odd](<{odd}>)"));
    add("```sh @fig caption=\"Figure @[v]\" alt=\"alt @[v]\"\ncat drawing.svg > $VINELOOM_FIGURES/a.svg\n```");
    for kind in ["note", "tip", "caution", "danger", "fold"] {
        add(&format!("::: {kind} \"{}\"\ninside @[v]\n:::", plain.replace('@', "")));
    }
    add("::: table \"Table @[v]\" #tab\n| a @[v] | b |\n|---|---|\n| 1 | 2 |\n:::");
    add("::: figure \"Group @[v]\" #grp\n![a @[v]](drawing.svg)\n\n![b](drawing.svg)\n:::");
    add(":::: tabs\n## Tab @[v]\nfirst\n## Two\nsecond\n::::\n\n::: columns\nleft @[v]\n\n---\n\nright\n:::");
    text
}

/// What would run, load or send in a page of ours.
fn live_in(page: &str) -> Vec<String> {
    let mut live = Vec::new();
    let mut scripts = 0;
    for token in tokens(page) {
        let Token::Open { name, attributes } = token else { continue };
        scripts += usize::from(name == "script");
        if ["iframe", "object", "embed", "form", "base", "frame", "applet", "foreignobject", "animate", "set"]
            .contains(&name.as_str())
        {
            live.push(name.to_string());
        }
        // Drawings are pictures here, never a part of the page.
        if name == "svg" && !attributes.iter().any(|(_, value)| value.contains("icon") || value == "true") {
            live.push(format!("svg {attributes:?}"));
        }
        for (attribute, value) in attributes {
            let plain: String =
                value.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect::<String>().to_lowercase();
            let runs = plain.starts_with("javascript:")
                || plain.starts_with("vbscript:")
                || plain.starts_with("data:text/html");
            let leads = ["href", "src", "action", "data", "xlink:href", "cite"].contains(&attribute.as_str());
            if attribute.starts_with("on") || runs && leads || attribute == "srcdoc" || attribute == "formaction" {
                live.push(format!("{name} {attribute}={value}"));
            }
            if ["src", "srcset", "poster", "background"].contains(&attribute.as_str())
                && !plain.starts_with("data:image/")
            {
                live.push(format!("{name} asks for {value}"));
            }
        }
    }
    if scripts != 2 {
        live.push(format!("{scripts} scripts"));
    }
    live
}

/// The HTML in Markdown that a viewer would take for more than text.
fn live_in_markdown(blocks: &[Block], live: &mut Vec<String>) {
    let mut check = |html: &str| {
        for token in tokens(html) {
            if let Token::Open { name, attributes } = token
                && (["script", "iframe", "svg", "style", "object", "form"].contains(&name.as_str())
                    || attributes.iter().any(|(name, value)| name.starts_with("on") || value.contains("javascript:")))
            {
                live.push(html.to_string());
            }
        }
    };
    let mut targets = Vec::new();
    each_block(blocks, &mut |block| {
        if let Block::Html { html, .. } = block {
            check(html);
        }
    });
    each_text(blocks, &mut |text| {
        each_inline(text, &mut |inline| match &inline.kind {
            InlineKind::Html(html) => check(html),
            InlineKind::Link(link) => targets.push(format!("{:?}", link.target)),
            _ => {}
        });
    });
    // The document's own link to `javascript:` stays the writer's, as all text outside of what is woven in.
    live.extend(targets.into_iter().filter(|target| target.contains("\"javascript:")).skip(1));
}

#[test]
fn nothing_hostile_is_live_in_any_format() {
    for hostile in HOSTILE {
        let project = Project::new();
        let text = document(&project, hostile);
        project.write("guide.vine.md", text);
        let said = project.weave();
        assert_eq!(said.code, 0, "{hostile}: {}{}", said.out, said.err);
        let page = project.read("guide.html");

        assert_eq!(live_in(&page), Vec::<String>::new(), "{hostile}");
        // What was printed is there as text.
        let markdown = project.read("guide.md");
        let mut live = Vec::new();
        live_in_markdown(&parse_printed(&markdown), &mut live);
        assert_eq!(live, Vec::<String>::new(), "{hostile}");
        if let Some(said) = tool("qpdf", &["--check".as_ref(), &project.path("guide.pdf")]) {
            assert_eq!(said.code, 0, "{hostile}: {said:?}");
        }
        if let Some(said) = tool(
            "qpdf",
            &["--qdf".as_ref(), "--object-streams=disable".as_ref(), &project.path("guide.pdf"), "-".as_ref()],
        ) {
            for live in [
                "/JavaScript",
                "/JS ",
                "/JS(",
                "/Launch",
                "/SubmitForm",
                "/OpenAction",
                "/EmbeddedFile",
                "/URI (javascript:",
                "/GoToR",
            ] {
                assert!(!said.out.contains(live), "{hostile}: {live} in the PDF");
            }
        }
    }
}

/// What a terminal would take for an order gets there from no command.
#[test]
fn no_control_sequence_reaches_the_terminal_from_any_command() {
    let order = "\u{1b}]0;PWN\u{7}\u{9b}31m\u{202e}";
    let print = "printf '\\033]0;PWN\\007\\302\\23331m\\342\\200\\256'";
    let project = Project::new();
    let mut documents = vec![
        ("title", format!("+++\ntitle = 3 # {order}\n+++\n")),
        ("key", format!("+++\n\"{order}\" = 1\n+++\n")),
        ("language", format!("```sh{order} @a\n1\n```\n")),
        ("name", format!("```sh @a{order}\n1\n```\n")),
        ("option", format!("```sh @a x{order}=1\n1\n```\n")),
        ("value", format!("@[{order}] @[nosuch{order}]\n")),
        ("target", format!("[x](@{order}) ![](x{order}.csv)\n")),
        ("formula", format!("$\\nosuch{order}$\n")),
        ("failure", format!("```sh @a\necho '{order}'; {print} >&2; exit 3\n```\n")),
        ("python", "```python @a\nraise ValueError('\\033]0;PWN\\007\\x9b31m\\u202e')\n```\n".into()),
        ("notice", format!("```sh @a show=all\n{print}; {print} >&2\n```\n")),
        ("table", "```python @a\n[{'\\033]0;PWN\\007': '\\033]0;PWN\\007\\x9b31m'}]\n```\n".into()),
        ("statement", format!("```python @a transcript=yes\nx = '{order}'\nx\n```\n")),
        ("variable", "```python @a\nx = '\\033]0;PWN\\007\\u202e'\n```\n".into()),
        ("code", format!("```sh @a\necho one # {order}\n```\n")),
    ];
    documents.push(("parameter", format!("+++\n[parameters]\np = \"{order}\"\n+++\n```sh @a with=p\necho $p\n```\n")));
    let check = |what: &str, said: support::Said| {
        for said in [said.out, said.err] {
            let acts =
                |c: char| (c.is_control() && !matches!(c, '\n' | '\t')) || ('\u{202a}'..='\u{202e}').contains(&c);
            assert!(!said.contains(acts), "{what}: {said:?}");
        }
    };
    for (what, text) in documents {
        let names = [format!("{what}.vine.md"), format!("{what}{}.vine.md", order.replace('/', ""))];
        for name in &names {
            project.write(name, &text);
            for command in [
                vec!["check", name],
                vec!["weave", name],
                vec!["run", name],
                vec!["blocks", name],
                vec!["blocks", name, "--why", "a"],
                vec!["weave", "--dry-run", name],
                vec!["weave", "--verify", name],
                vec!["weave", "--stored-only", name],
                vec!["options", "--file", name],
                vec!["interpreters", name],
                vec!["convert", name, "x.py"],
            ] {
                check(&format!("{what} {command:?}"), project.run(&command));
            }
        }
        let variables = format!("{what}.vine.md@a");
        check(what, project.run(&["run", &variables, "--variables"]));
        project.write(&names[0], text.replace("echo", "echo  "));
        check(what, project.run(&["blocks", &names[0], "--why", "a"]));
    }
    let hostile = format!("--x{order}");
    for command in [
        vec!["weave", &hostile],
        vec![&hostile],
        vec!["run", order],
        vec!["options", order],
        vec!["store", "import", order],
        vec!["new", &hostile],
    ] {
        check(&format!("{command:?}"), project.run(&command));
    }
}
