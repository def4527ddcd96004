//! The tags and the text of a piece of HTML, read as browsers read it.

use ecow::EcoString;
use html5ever::tendril::StrTendril;
use html5ever::tokenizer::states::RawKind;
use html5ever::tokenizer::{
    BufferQueue, Tag, TagKind, Token as Read, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};
use std::cell::RefCell;

/// A tag, or text between tags.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Token {
    /// The beginning of an element: its name, and its attributes with their values.
    Open {
        /// The name, in small letters.
        name: EcoString,
        /// Names and values.
        attributes: Vec<(EcoString, EcoString)>,
    },
    /// The end of an element.
    Close(EcoString),
    /// Text.
    Text(String),
}

/// The tokens of a piece of HTML; comments are left out.
pub fn tokens(html: &str) -> Vec<Token> {
    let tokenizer = Tokenizer::new(Sink::default(), TokenizerOpts::default());
    let input = BufferQueue::default();
    input.push_back(StrTendril::from_slice(html));
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    tokenizer.sink.0.into_inner()
}

#[derive(Default)]
struct Sink(RefCell<Vec<Token>>);

impl TokenSink for Sink {
    type Handle = ();

    fn process_token(&self, token: Read, _line: u64) -> TokenSinkResult<()> {
        let mut tokens = self.0.borrow_mut();
        match token {
            Read::CharacterTokens(text) => match tokens.last_mut() {
                Some(Token::Text(before)) => before.push_str(&text),
                _ => tokens.push(Token::Text(text.to_string())),
            },
            Read::TagToken(Tag { kind: TagKind::EndTag, name, .. }) => tokens.push(Token::Close(name.as_ref().into())),
            Read::TagToken(Tag { name, attrs, .. }) => {
                let attributes =
                    attrs.iter().map(|a| (a.name.local.as_ref().into(), a.value.as_ref().into())).collect();
                tokens.push(Token::Open { name: name.as_ref().into(), attributes });
                // What stands in these is no markup.
                return match &*name {
                    "script" => TokenSinkResult::RawData(RawKind::ScriptData),
                    "style" | "xmp" | "noembed" | "noframes" | "iframe" => TokenSinkResult::RawData(RawKind::Rawtext),
                    "textarea" | "title" => TokenSinkResult::RawData(RawKind::Rcdata),
                    _ => TokenSinkResult::Continue,
                };
            }
            _ => {}
        }
        TokenSinkResult::Continue
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn html_is_read_as_browsers_read_it() {
        let open = |name: &str, attributes: &[(&str, &str)]| Token::Open {
            name: name.into(),
            attributes: attributes.iter().map(|&(a, b)| (a.into(), b.into())).collect(),
        };
        assert_eq!(
            tokens("<A HREF=x>1 &lt; 2</a><!-- c --><br/>"),
            [open("a", &[("href", "x")]), Token::Text("1 < 2".into()), Token::Close("a".into()), open("br", &[])]
        );
        assert_eq!(
            tokens("<script>if (a<b) {}</script>"),
            [open("script", &[]), Token::Text("if (a<b) {}".into()), Token::Close("script".into())]
        );
        assert_eq!(tokens("<unfinished"), []);
    }
}
