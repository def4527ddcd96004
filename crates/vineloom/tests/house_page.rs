//! A page with what a writer's own house adds to it: style sheets, a head and a foot, scripts, an icon, the picture of its card.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod support;

use support::Project;

const FRONT: &str = "+++\ntitle = \"T\"\n[html]\nstyle = [\"one.css\", \"two.css\"]\npage-head = \"head.html\"\npage-foot = \"foot.html\"\nscripts = [\"a.js\", \"b.js\"]\nicon = \"icon.svg\"\nsocial-picture = \"card.png\"\n";

fn house(more: &str) -> Project {
    let project = Project::with(&format!("{FRONT}{more}+++\n\nText.\n"));
    project.write("one.css", "p { color: #010203 }");
    project.write("two.css", "p { color: #040506 }");
    project.write("head.html", "<p class=\"ridge\">Hollin Ridge</p>");
    project.write("foot.html", "<p>The cooperative</p>");
    project.write("a.js", "window.first = '</script>';");
    project.write("b.js", "window.second = window.first;");
    project.write("icon.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"/>");
    let mut png = std::io::Cursor::new(Vec::new());
    image::DynamicImage::new_rgb8(2, 2).write_to(&mut png, image::ImageFormat::Png).unwrap();
    project.write("card.png", png.into_inner());
    project
}

#[test]
fn all_of_a_house_is_in_the_one_file_and_in_its_place() {
    let page = house("").page();
    let at = |text: &str| page.find(text).unwrap_or_else(|| panic!("{text}: {page}"));
    assert!(at("#010203") < at("#040506"), "the last style sheet beats the first");
    assert!(at("Hollin Ridge") < at("<h1>") && at("<h1>") < at("The cooperative"));
    assert!(at("window.first = '<\\/script>'") < at("window.second"), "a script can't end its element");
    assert!(page.contains("<link rel=\"icon\" href=\"data:image/svg+xml;base64,"));
    assert!(page.contains("<meta property=\"og:image\" content=\"data:image/png;base64,"));
    for name in ["one.css", "head.html", "a.js", "icon.svg", "card.png"] {
        assert!(!page.contains(name), "{name} is in the page, not beside it");
    }
}

#[test]
fn a_strict_page_has_no_scripts_of_ones_own_and_says_so() {
    let project = house("strict = true\n");
    let said = project.weave();
    assert!(said.code == 0 && said.err.contains("your own scripts are not in it"), "{said:?}");
    let page = project.read("guide.html");
    assert!(!page.contains("window.first") && page.contains("Hollin Ridge"));
}

#[test]
fn a_picture_of_a_card_may_be_an_address_and_what_is_not_there_is_told() {
    let project = house("");
    let text = project.read("guide.vine.md").replace("card.png", "https://hollin-ridge.example/card.png");
    project.write("guide.vine.md", text);
    assert!(project.page().contains("<meta property=\"og:image\" content=\"https://hollin-ridge.example/card.png\">"));
    for (name, what) in [
        ("two.css", "the style sheet two.css"),
        ("foot.html", "the foot foot.html"),
        ("b.js", "the script b.js"),
        ("icon.svg", "the icon icon.svg"),
    ] {
        let project = house("");
        std::fs::remove_file(project.path(name)).unwrap();
        let said = project.weave();
        assert!(said.code == 1 && said.err.contains(&format!("{what} is not there")), "{said:?}");
    }
    let plain = Project::with("+++\n[html]\nstyle = \"one.css\"\n+++\nText.\n");
    plain.write("one.css", "p { color: #010203 }");
    assert!(plain.page().contains("#010203"), "one style sheet needs no list");
}
