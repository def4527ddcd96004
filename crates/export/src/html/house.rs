//! What a writer adds to a page of their own: style sheets, HTML at its top and its foot, scripts, an icon, a picture for those
//! who show its card. All of it is put into the one file.

use super::escape::attribute;
use crate::{Assets, Want};
use base64::Engine;
use serde::Serialize;
use vineloom_document::options::Settings;
use vineloom_woven::Picture;

/// The files that a writer's house adds to a page.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct House {
    /// Style sheets, the last beats the first.
    pub style: Vec<String>,
    /// HTML above the title.
    pub head: Option<String>,
    /// HTML at the foot.
    pub foot: Option<String>,
    /// Scripts, which run behind our own.
    pub scripts: Vec<String>,
    /// The icon in a browser's tab.
    pub icon: Option<String>,
    /// The picture of the page's card: a file, or an address.
    pub social_picture: Option<String>,
}

impl House {
    pub(super) fn of(settings: &Settings) -> Self {
        let file = |name: &str| settings.text(name).filter(|path| !path.is_empty()).map(String::from);
        House {
            style: settings.list("style").to_vec(),
            head: file("page-head"),
            foot: file("page-foot"),
            scripts: settings.list("scripts").to_vec(),
            icon: file("icon"),
            social_picture: file("social-picture"),
        }
    }

    /// The files that it takes.
    pub(crate) fn wants(&self) -> Vec<Want> {
        let social = self.social_picture.iter().filter(|path| !is_address(path));
        let named = self.style.iter().map(|path| ("the style sheet", path));
        let named = named.chain(self.head.iter().map(|path| ("the head", path)));
        let named = named.chain(self.foot.iter().map(|path| ("the foot", path)));
        let named = named.chain(self.scripts.iter().map(|path| ("the script", path)));
        let named = named.chain(self.icon.iter().map(|path| ("the icon", path)));
        let named = named.chain(social.map(|path| ("the social picture", path)));
        named.map(|(what, path)| Want::File { what, path: path.clone() }).collect()
    }

    /// The style sheets, one behind the other; bytes that are no text are shown as such.
    pub(crate) fn style_sheet(&self, assets: &Assets) -> String {
        self.style.iter().map(|path| text_of(path, assets) + "\n").collect()
    }

    /// The HTML above the title.
    pub(super) fn head(&self, assets: &Assets) -> String {
        self.head.iter().map(|path| text_of(path, assets)).collect()
    }

    /// The HTML at the foot.
    pub(super) fn foot(&self, assets: &Assets) -> String {
        self.foot.iter().map(|path| text_of(path, assets)).collect()
    }

    /// The scripts, none of which can end the element that it stands in.
    pub(super) fn scripts(&self, assets: &Assets) -> Vec<String> {
        self.scripts.iter().map(|path| in_element(&text_of(path, assets))).collect()
    }

    /// The address of the icon; nothing when it is ours.
    pub(super) fn icon(&self, assets: &Assets) -> Option<String> {
        address_of(self.icon.as_ref()?, assets)
    }

    /// What stands in the head of the file for the page's card.
    pub(super) fn card(&self, assets: &Assets) -> String {
        let address = match &self.social_picture {
            Some(path) if is_address(path) => Some(path.clone()),
            Some(path) => address_of(path, assets),
            None => None,
        };
        address.map_or_else(String::new, |address| {
            format!("<meta property=\"og:image\" content=\"{}\">\n", attribute(&address))
        })
    }
}

/// A script that can't end the element that it stands in, nor begin a comment there: in a text of the script, `\/` and `\!`
/// are `/` and `!`.
fn in_element(script: &str) -> String {
    let small = script.to_ascii_lowercase();
    let mut out = String::with_capacity(script.len());
    let mut done = 0;
    for (at, _) in small.match_indices('<') {
        if small[at..].starts_with("</script") || small[at..].starts_with("<!--") {
            out.push_str(&script[done..=at]);
            out.push('\\');
            done = at + 1;
        }
    }
    out + &script[done..]
}

fn is_address(path: &str) -> bool {
    path.contains("://")
}

fn text_of(path: &str, assets: &Assets) -> String {
    assets.files.get(path).map_or_else(String::new, |bytes| String::from_utf8_lossy(bytes).into_owned())
}

/// A picture file as an address of its own bytes.
fn address_of(path: &str, assets: &Assets) -> Option<String> {
    let bytes = assets.files.get(path)?;
    let coded = base64::engine::general_purpose::STANDARD.encode(bytes);
    // Browsers know a kind that no document has.
    let media = match path.to_lowercase().ends_with(".ico") {
        true => "image/x-icon",
        false => Picture::new(bytes.clone())?.media.media_type(),
    };
    Some(format!("data:{media};base64,{coded}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_script_ends_nothing_and_begins_no_comment() {
        assert_eq!(
            in_element("a('</SCRIPT>', '</script >', '<!-- <script>'); b<script; c</d/"),
            "a('<\\/SCRIPT>', '<\\/script >', '<\\!-- <script>'); b<script; c</d/"
        );
    }
}
