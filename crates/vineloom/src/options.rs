//! `vineloom options`: the catalogue in the terminal.

use crate::command_line::OptionsArguments;
use crate::output::{line_with_faint, say};
use crate::{Exit, messages};
use std::path::Path;
use vineloom_document::options::{
    OptionEntry, Origin, Place, Settings, TABLE, Topic, TopicKind, answers, schema, topics,
};
use vineloom_document::{Document, FrontMatter, ParameterValue, Role, nearest};
use vineloom_project::{Opened, Text};

/// Shows one option, those that a word finds, or all.
pub fn options(arguments: &OptionsArguments) -> Exit {
    if arguments.schema {
        say!("{:#}", schema());
        return Exit::Done;
    }
    let document = match &arguments.file {
        Some(file) => match Opened::open(file, Text::OnDisk, &[], None) {
            Ok(opened) => Some(opened.document),
            Err(problem) => return messages::problem(&problem),
        },
        None => None,
    };
    let name = (!arguments.name.is_empty()).then(|| arguments.name.join(" "));
    match (&name, &arguments.search, document) {
        (Some(name), _, document) => named(name, document.as_ref(), arguments.file.as_deref()),
        (None, Some(word), _) => found(word),
        (None, None, Some(document)) => {
            set_in(&document, arguments.file.as_deref().unwrap_or(Path::new("")));
            Exit::Done
        }
        (None, None, None) => {
            list(&TABLE.iter().collect::<Vec<_>>());
            list_topics(&topics());
            say!("\n`vineloom options NAME` says more about one; `--search WORD` finds some.");
            Exit::Done
        }
    }
}

/// Everything of a name, in all the places where something is called so.
fn named(name: &str, document: Option<&Document>, file: Option<&Path>) -> Exit {
    let entries: Vec<&OptionEntry> = TABLE.iter().filter(|entry| entry.name == name).collect();
    let all = topics();
    let others: Vec<&Topic> = all.iter().filter(|topic| topic.name == name).collect();
    if entries.is_empty() && others.is_empty() {
        return unknown(name, &all);
    }
    let mut is_first = true;
    let mut part = || {
        if !std::mem::replace(&mut is_first, false) {
            say!("");
        }
    };
    for entry in entries {
        part();
        one(entry);
        if let (Some(document), Some(file)) = (document, file) {
            uses(entry, document, file);
        }
    }
    for topic in others {
        part();
        say!("{}", topic.name);
        say!("  {}", topic.help);
        say!("  takes    {}", topic.takes);
        say!("  example  {}", topic.example);
        say!("  where    {}", topic.kind.place());
    }
    Exit::Done
}

/// What has to do with words that are no name, or the name that is nearest.
fn unknown(name: &str, all: &[Topic]) -> Exit {
    let answered = answered(name);
    if !answered.is_empty() {
        say!("Nothing is called `{name}`; this has to do with it:\n");
        list_answers(answered);
        return Exit::Done;
    }
    let names = TABLE.iter().map(|entry| entry.name).chain(all.iter().map(|topic| topic.name));
    let near = nearest(name, names);
    let help = match near {
        Some(near) => format!("did you mean `{near}`?"),
        None => "nothing has to do with it; `vineloom options` lists them all".to_string(),
    };
    messages::error(&format!("there is no option `{name}`"), Some(&help));
    Exit::WrongUse
}

/// How well something answers, its name, where it is set, what it does.
type Answer = (u8, String, String, String);

/// Everything that has to do with words, the best answers first: with all of them as they stand, else with each.
fn answered(words: &str) -> Vec<Answer> {
    let all = topics();
    let looked_for = |rank: &dyn Fn(&str, &str, &str) -> Option<u8>| {
        let mut answered: Vec<Answer> = Vec::new();
        for entry in TABLE {
            if let Some(rank) = rank(entry.name, &entry.kind.allowed(), entry.help) {
                let place = where_in_short(entry.place).into();
                answered.push((rank, entry.name.into(), place, first_sentence(entry.help)));
            }
        }
        for topic in &all {
            if let Some(rank) = rank(topic.name, topic.takes, topic.help) {
                let place = topic.kind.title().to_lowercase();
                answered.push((rank, topic.name.into(), place, first_sentence(topic.help)));
            }
        }
        answered.sort_by_key(|(rank, ..)| *rank);
        answered
    };
    let whole = looked_for(&|name, takes, help| answers(words, name, takes, help));
    if !whole.is_empty() || !words.trim().contains(' ') {
        return whole;
    }
    let each = |name: &str, takes: &str, help: &str| {
        let ranks = words.split_whitespace().map(|word| answers(word, name, takes, help));
        ranks.collect::<Option<Vec<u8>>>()?.into_iter().max()
    };
    looked_for(&each)
}

/// Shows everything that has to do with a word.
fn found(word: &str) -> Exit {
    let answered = answered(word);
    if answered.is_empty() {
        messages::error(&format!("nothing has to do with `{word}`"), Some("`vineloom options` lists all there is"));
        return Exit::Failed;
    }
    list_answers(answered);
    Exit::Done
}

fn list_answers(answered: Vec<Answer>) {
    let width = answered.iter().map(|(_, name, ..)| name.len()).max().unwrap_or(0);
    for (_, name, place, help) in answered {
        line_with_faint(&format!("{name:width$}  {help}"), &format!("  {place}"));
    }
}

fn where_in_short(place: Place) -> &'static str {
    match place {
        Place::Block => "options of blocks",
        Place::Export => "settings of exports",
        Place::Interpreter => "settings of interpreters",
        Place::Environment => "[environment]",
        Place::After => "[after]",
        Place::Script => "[script]",
    }
}

/// The same for what is no option.
fn list_topics(all: &[Topic]) {
    let width = all.iter().map(|topic| topic.name.len()).max().unwrap_or(0);
    for kind in TopicKind::ALL {
        say!("{}", kind.title());
        for topic in all.iter().filter(|topic| topic.kind == kind) {
            say!("  {:width$}  {}", topic.name, first_sentence(topic.help));
        }
    }
}

/// A line an option, in the two places there are.
fn list(entries: &[&OptionEntry]) {
    let width = entries.iter().map(|entry| entry.name.len()).max().unwrap_or(0);
    for (place, title) in [
        (Place::Block, "Options of blocks"),
        (Place::Export, "Settings of exports"),
        (Place::Interpreter, "Settings of interpreters"),
        (Place::Environment, "The environment of blocks"),
        (Place::After, "Steps after weaving"),
        (Place::Script, "Scripts as documents"),
    ] {
        let here: Vec<&&OptionEntry> = entries.iter().filter(|entry| entry.place == place).collect();
        if here.is_empty() {
            continue;
        }
        say!("{title}");
        for entry in here {
            say!("  {:width$}  {}", entry.name, first_sentence(entry.help));
        }
    }
}

/// As much of the meaning as fits beside the name.
fn first_sentence(help: &str) -> String {
    let end = help.find(": ").or_else(|| help.find(". ")).unwrap_or(help.len());
    help[..end].trim_end_matches('.').to_string()
}

fn one(entry: &OptionEntry) {
    say!("{}", entry.name);
    say!("  {}", entry.help);
    say!("  takes    {}", entry.kind.allowed());
    say!("  default  {}", if entry.default.is_empty() { "none" } else { entry.default });
    say!("  example  {}", entry.example);
    if let Some(formats) = entry.formats_in_words() {
        say!("  formats  {formats}");
    }
    match entry.place {
        Place::Block => say!("  where    a fence line, [block.NAME], [defaults], [defaults.LANGUAGE]"),
        Place::Export if entry.formats.is_empty() => say!("  where    [export]"),
        Place::Export => {
            let own: Vec<String> = entry.formats.iter().map(|format| format!("[{format}]")).collect();
            say!("  where    [export], or {}", own.join(", "));
        }
        Place::Interpreter => say!("  where    [interpreters.NAME]"),
        Place::Environment => say!("  where    [environment]"),
        Place::After => say!("  where    [after]"),
        Place::Script => {
            say!("  where    [script], in the front matter of a script; vineloom convert --{}", entry.name)
        }
    }
    if entry.place == Place::Block {
        say!("  effect   {}", entry.effect.words());
    }
}

/// What an option is set to in a document, and by which layer.
fn uses(entry: &OptionEntry, document: &Document, file: &Path) {
    say!("\nin {}", file.display());
    let say = |who: &str, settings: &Settings| {
        let (value, origin) = match settings.get(entry.name) {
            Some(setting) => (setting.value.written(entry.kind), setting.origin.words()),
            None => ("none".into(), Origin::BuiltIn.words()),
        };
        say!("  {who:20}  {value:24}  {origin}");
    };
    match entry.place {
        Place::Block => {
            for (index, block) in document.live.enumerate().filter(|(_, block)| block.role == Role::Shown) {
                let who =
                    block.name.as_ref().map_or_else(|| format!("block {}", index.number()), |name| format!("@{name}"));
                say(&who, &block.settings);
            }
        }
        Place::Export => {
            let layers: Vec<&FrontMatter> = document.layers.iter().collect();
            for format in document.formats().into_iter().filter(|&format| entry.fits(Some(format))) {
                say(format.word(), &FrontMatter::export_settings(&layers, format));
            }
        }
        Place::Environment => {
            let mut settings = Settings::built_in(Place::Environment);
            document.layers.iter().for_each(|layer| settings.overlay(&layer.environment));
            say("blocks", &settings);
        }
        Place::Script => say("script", &document.front.script),
        Place::After => {
            document.layers.iter().filter(|layer| !layer.after.is_empty()).for_each(|layer| say("after", &layer.after));
        }
        Place::Interpreter => {
            for (name, _, settings) in document.interpreters() {
                say(&name, &settings);
            }
        }
    }
}

/// Everything that a document or its project sets.
fn set_in(document: &Document, file: &Path) {
    say!("{}", file.display());
    let say = |who: &str, settings: &Settings, place: Place| {
        for (name, setting) in settings.iter().filter(|(_, setting)| setting.origin != Origin::BuiltIn) {
            let Some(entry) = TABLE.iter().find(|entry| entry.name == name && entry.place == place) else { continue };
            say!("  {who:20}  {name}={:24}  {}", setting.value.written(entry.kind), setting.origin.words());
        }
    };
    for (name, parameter) in &document.parameters {
        let allowed: Vec<String> = parameter.allowed.iter().map(ParameterValue::text).collect();
        let may_be =
            if allowed.is_empty() { parameter.kind.words().into() } else { format!("one of {}", allowed.join(", ")) };
        let about = if parameter.about.is_empty() { String::new() } else { format!("; {}", parameter.about) };
        let set = format!("{name}={}", parameter.value.text());
        say!("  {:20}  {set:24}  {may_be}{about}", "parameter");
    }
    for (index, block) in document.live.enumerate().filter(|(_, block)| block.role == Role::Shown) {
        let who = block.name.as_ref().map_or_else(|| format!("block {}", index.number()), |name| format!("@{name}"));
        say(&who, &block.settings, Place::Block);
    }
    let layers: Vec<&FrontMatter> = document.layers.iter().collect();
    for format in document.formats() {
        say(format.word(), &FrontMatter::export_settings(&layers, format), Place::Export);
    }
}
