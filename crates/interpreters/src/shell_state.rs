//! The state of a shell as a script that brings another shell into it: variables, options, functions (of bash), its
//! folder. What a script can't bring back faithfully makes the state doubtful.
//!
//! A shell tells its state in sections, each begun by a line of its own. bash says how each variable is declared; other
//! shells list theirs as the POSIX shell language has it, `name='value'`.

use crate::frames::quote;
use std::collections::{BTreeMap, BTreeSet};
use std::ffi::{OsStr, OsString};

/// What a shell is given to tell its state. Each section is begun by byte 1 and its name.
pub(crate) const TELL: &str = r#"case $# in 0) ;; *) \command printf '\001argument\n%s' "$@" ;; esac
\command printf '\001trap\n'; trap
\command printf '\001alias\n'; \command alias
\command printf '\001umask\n'; \command umask
\command printf '\001folder\n%s\001\n' "$PWD"
\command printf '\001options\n'; set +o
case ${BASH_VERSION-} in
'') \command printf '\001exported\n'; export -p; \command printf '\001readonly\n'; readonly -p; \command printf '\001set\n'; set ;;
*) \command printf '\001shopt\n'; \builtin shopt -p; \command printf '\001functions\n'; \builtin declare -f
\command printf '\001attributes\n'; \builtin declare -F
\builtin compgen -v | while IFS= \builtin read -r vineloom_name
do \command printf '\001variable\n'; \builtin declare -p "$vineloom_name"; done ;;
esac
\command printf '\001end\n'
"#;

/// The names of the sections.
const SECTIONS: [&str; 14] = [
    "argument",
    "trap",
    "alias",
    "umask",
    "folder",
    "options",
    "exported",
    "readonly",
    "set",
    "shopt",
    "functions",
    "attributes",
    "variable",
    "end",
];

/// Words after which a shell holds what it can't tell: the numbers it draws, its clock, how far it has read options, what
/// it waits for, what it completes.
const DOUBTFUL: [&str; 17] = [
    "RANDOM", "SECONDS", "getopts", "wait", "disown", "coproc", "enable", "hash", "complete", "bind", "history",
    "pushd", "popd", "caller", "LINENO", "unalias", "BASHPID",
];

/// Why the state of a shell that runs this code can't be told, where a word of the code says so.
pub(crate) fn doubt_of(code: &str) -> Option<String> {
    let mut words = code.split(|c: char| !(c.is_ascii_alphanumeric() || c == '_'));
    if let Some(word) = words.find(|word| DOUBTFUL.contains(word)) {
        return Some(format!("`{word}` stands in its code"));
    }
    code.contains("$!").then(|| "`$!` stands in its code".to_string())
}

/// Whether this code may define functions: a shell other than bash can't tell those.
pub(crate) fn may_define(code: &str) -> bool {
    let brings =
        |word: &str| matches!(word.trim_start_matches(['(', '{', ';', '&', '|', '\\']), "." | "source" | "eval");
    code.contains("()") || code.contains("( )") || code.split_whitespace().any(brings)
}

/// Variables that a shell keeps by itself.
fn is_kept_by_itself(name: &str) -> bool {
    const ALONE: [&str; 17] = [
        "PPID",
        "UID",
        "EUID",
        "GROUPS",
        "DIRSTACK",
        "FUNCNAME",
        "PIPESTATUS",
        "HOSTNAME",
        "HOSTTYPE",
        "MACHTYPE",
        "OSTYPE",
        "SHELLOPTS",
        "EPOCHSECONDS",
        "EPOCHREALTIME",
        "SRANDOM",
        "_",
        "SHLVL",
    ];
    let is_bashs = name.starts_with("BASH") && name != "BASH_ENV" && name != "BASH_REMATCH" && name != "BASH_XTRACEFD";
    let is_counted = ["RANDOM", "SECONDS", "LINENO", "COMP_WORDBREAKS", "PWD"].contains(&name);
    ALONE.contains(&name) || is_bashs || is_counted || name.starts_with("vineloom_")
}

/// What a shell told of its state, in sections.
struct Told<'t> {
    sections: Vec<(&'t str, &'t str)>,
    /// The environment that it was started with.
    environment: &'t BTreeMap<OsString, OsString>,
}

/// Variables as a script that sets them, and the names of all that are there.
#[derive(Default)]
struct Variables<'t> {
    script: String,
    there: BTreeSet<&'t str>,
    /// What sets the folder that the shell came from.
    came_from: Option<String>,
}

/// The script that brings a shell that has just begun into the state that another one told, which was started with this
/// environment. What stands in the environment is not told again. `may_define` says whether its code may have defined
/// functions.
///
/// # Errors
/// Why the state is doubtful, as the end of a sentence.
pub(crate) fn script(
    told: &str,
    environment: &BTreeMap<OsString, OsString>,
    may_define: bool,
) -> Result<String, String> {
    if !told.ends_with("\u{1}end\n") {
        return Err("it could not tell it".into());
    }
    let mut sections = Vec::new();
    for section in told.split('\u{1}').skip(1).filter(|section| *section != "\n") {
        let section = section.split_once('\n').filter(|(name, _)| SECTIONS.contains(name));
        sections.push(section.ok_or("it holds a character that divides what it tells")?);
    }
    let told = Told { sections, environment };
    let is_bash = told.sections.iter().any(|(name, _)| *name == "shopt");
    if may_define && !is_bash {
        return Err("its code may define functions, which it can't tell".into());
    }
    for (name, why) in
        [("trap", "it has traps"), ("alias", "it has aliases"), ("readonly", "it has variables that can't be changed")]
    {
        if !told.section(name).trim().is_empty() {
            return Err(why.into());
        }
    }
    let Variables { mut script, there, came_from } = if is_bash { told.of_bash()? } else { told.of_posix()? };
    let names = environment.keys().filter_map(|name| name.to_str()).chain(["IFS", "OPTIND"]);
    for name in names.filter(|name| !there.contains(name) && !["_", "SHLVL", "PWD"].contains(name)) {
        script.push_str(&format!("unset {name}\n"));
    }
    script.push_str(&format!("\\command cd {} || return 1\n", quote(told.section("folder"))));
    // Going there has changed where it came from.
    script.push_str(&came_from.unwrap_or_else(|| "unset OLDPWD\n".into()));
    let arguments = told.sections.iter().filter(|(name, _)| *name == "argument").map(|(_, text)| quote(text));
    let arguments: Vec<String> = arguments.collect();
    if !arguments.is_empty() {
        script.push_str(&format!("set -- {}\n", arguments.join(" ")));
    }
    script.push_str(&format!("\\command umask {}\n", told.section("umask").trim()));
    script.push_str(told.section("options"));
    Ok(script)
}

impl<'t> Told<'t> {
    fn section(&self, wanted: &str) -> &'t str {
        self.sections.iter().find(|(name, _)| *name == wanted).map_or("", |(_, text)| text)
    }

    /// The value that a variable was given at the start.
    fn given(&self, name: &str) -> Option<&'t str> {
        self.environment.get(OsStr::new(name)).and_then(|value| value.to_str())
    }

    /// The functions and variables of bash, each as bash declares it.
    fn of_bash(&self) -> Result<Variables<'t>, String> {
        if self.section("attributes").lines().any(|line| !line.starts_with("declare -f ")) {
            return Err("it has functions that are handed on or can't be changed".into());
        }
        let mut variables = Variables::default();
        // Functions may be written as only these options let them be read.
        variables.script.push_str(self.section("shopt"));
        variables.script.push_str(self.section("functions"));
        for (_, text) in self.sections.iter().filter(|(name, _)| *name == "variable") {
            let Declaration { flags, name, value } = Declaration::read(text).ok_or(UNTOLD)?;
            variables.there.insert(name);
            if name == "OLDPWD" {
                variables.came_from = Some((*text).into());
                continue;
            }
            if is_kept_by_itself(name) {
                continue;
            }
            if flags.contains('r') || flags.contains('n') {
                return Err(format!("its variable {name} can't be changed, or stands for another"));
            }
            if flags.contains('A') && value.is_some_and(|value| value.matches("]=").count() > 1) {
                return Err(format!("its array {name} might be listed in another order"));
            }
            let given = self.given(name);
            let is_given = flags == "x" && value.is_some_and(|value| given.is_some_and(|was| is_word(value, was)));
            if !is_given {
                variables.script.push_str(text.trim_end_matches('\n'));
                variables.script.push('\n');
            }
            if !flags.contains('x') && given.is_some() {
                variables.script.push_str(&format!("export -n {name}\n"));
            }
        }
        Ok(variables)
    }

    /// The variables of another shell, as the POSIX shell language lists them.
    fn of_posix(&self) -> Result<Variables<'t>, String> {
        let listed = self.section("exported");
        let exported = assignments(listed, "export ")?;
        let mut variables = Variables::default();
        // Those that have no value yet will be handed on when they have one.
        for line in listed.lines().filter(|line| line.starts_with("export ") && !line.contains('=')) {
            variables.script.push_str(&format!("{line}\n"));
        }
        for (name, value) in assignments(self.section("set"), "")? {
            variables.there.insert(name);
            let is_exported = exported.iter().any(|(other, _)| *other == name);
            let word = quote(&value);
            let sets = match is_exported {
                true => format!("export {name}={word}\n"),
                false if self.given(name).is_some() => format!("unset {name}\n{name}={word}\n"),
                false => format!("{name}={word}\n"),
            };
            if name == "OLDPWD" {
                variables.came_from = Some(sets);
            } else if !(is_kept_by_itself(name) || is_exported && self.given(name) == Some(value.as_str())) {
                variables.script.push_str(&sets);
            }
        }
        Ok(variables)
    }
}

/// Why the state of a shell is doubtful whose variables can't be read.
const UNTOLD: &str = "it holds a variable that it can't tell";

/// A variable as bash declares it: `declare -FLAGS NAME="VALUE"`.
struct Declaration<'a> {
    /// The letters of its attributes; none for a plain one.
    flags: &'a str,
    name: &'a str,
    /// As bash writes it; nothing for one without a value.
    value: Option<&'a str>,
}

impl<'a> Declaration<'a> {
    fn read(text: &'a str) -> Option<Self> {
        let (flags, rest) = text.trim_end_matches('\n').strip_prefix("declare -")?.split_once(' ')?;
        let (name, value) = rest.split_once('=').map_or((rest, None), |(name, value)| (name, Some(value)));
        let is_name = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        is_name.then_some(Declaration { flags: flags.trim_matches('-'), name, value })
    }
}

/// Whether a word as bash writes it, in double quotes, is this text.
fn is_word(word: &str, text: &str) -> bool {
    let mut escaped = String::from("\"");
    for c in text.chars() {
        if matches!(c, '"' | '\\' | '$' | '`') {
            escaped.push('\\');
        }
        escaped.push(c);
    }
    escaped.push('"');
    word == escaped
}

/// Assignments as a POSIX shell lists them, one behind the other, each perhaps with a word before its name: the names and
/// the values. A name alone has no value and is left out.
fn assignments<'t>(listed: &'t str, before: &str) -> Result<Vec<(&'t str, String)>, String> {
    let unread = || UNTOLD.to_string();
    let mut found = Vec::new();
    let mut rest = listed;
    while !rest.is_empty() {
        rest = rest.strip_prefix(before).ok_or_else(unread)?;
        let end = rest.find(|c: char| !(c.is_ascii_alphanumeric() || c == '_')).ok_or_else(unread)?;
        let name = &rest[..end];
        rest = &rest[end..];
        if let Some(after) = rest.strip_prefix('\n') {
            rest = after;
            continue;
        }
        rest = rest.strip_prefix('=').ok_or_else(unread)?;
        let mut value = String::new();
        loop {
            let quoted = rest.chars().next().filter(|c| matches!(c, '\'' | '"'));
            if let Some(mark) = quoted {
                let inner = &rest[1..];
                let end = inner.find(mark).ok_or_else(unread)?;
                value.push_str(&inner[..end]);
                rest = &inner[end + 1..];
            } else if let Some(after) = rest.strip_prefix('\n') {
                rest = after;
                break;
            } else {
                let end = rest.find(['\'', '"', '\n']).ok_or_else(unread)?;
                if rest[..end].contains('\\') {
                    return Err(unread());
                }
                value.push_str(&rest[..end]);
                rest = &rest[end..];
            }
        }
        found.push((name, value));
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_state_that_was_told_becomes_a_script() {
        let environment = BTreeMap::from([("HOME".into(), "/h".into()), ("LANG".into(), "C".into())]);
        let told = "\u{1}trap\n\u{1}alias\n\u{1}umask\n0022\n\u{1}folder\n/w/a\u{1}\n\u{1}options\nset +o errexit\n\
                    \u{1}exported\nexport HOME='/h'\nexport T='it'\"'\"'s'\n\u{1}readonly\n\u{1}set\nHOME='/h'\nIFS=' \n'\n\
                    OPTIND='1'\nOLDPWD='/w'\nPPID='1'\nT='it'\"'\"'s'\nx='1'\n\u{1}end\n";
        let expected = "IFS=' \n'\nOPTIND='1'\nexport T='it'\\''s'\nx='1'\nunset LANG\n\\command cd '/w/a' || \
                        return 1\nOLDPWD='/w'\n\\command umask 0022\nset +o errexit\n";
        assert_eq!(script(told, &environment, false).as_deref(), Ok(expected));
        for (from, to, why) in [
            ("\u{1}alias\n", "\u{1}alias\nl='ls'\n", "it has aliases"),
            ("\u{1}readonly\n", "\u{1}readonly\nreadonly x='1'\n", "it has variables that can't be changed"),
            ("x='1'\n", "x='1\n", "it holds a variable that it can't tell"),
            ("\u{1}end\n", "", "it could not tell it"),
            ("\u{1}trap", "\u{1}argument\na\u{1}b\u{1}trap", "it holds a character that divides what it tells"),
        ] {
            assert_eq!(script(&told.replace(from, to), &environment, false), Err(why.into()));
        }
        assert!(script(told, &environment, true).is_err());
        let with_arguments =
            script(&told.replace("\u{1}trap", "\u{1}argument\na\n\u{1}argument\n\u{1}trap"), &environment, false);
        assert!(with_arguments.is_ok_and(|script| script.contains("\nset -- 'a\n' ''\n")));
    }

    #[test]
    fn words_that_make_a_state_doubtful_are_found_whole() {
        assert_eq!(doubt_of("echo $((RANDOM % 6))").as_deref(), Some("`RANDOM` stands in its code"));
        assert_eq!(doubt_of("sleep 9 & echo $!").as_deref(), Some("`$!` stands in its code"));
        assert_eq!(doubt_of("echo random rehash waits"), None);
        for code in [". ./helper.sh", "f() { :; }", "f ( ) { :; }", "x=1; (eval \"$y\")"] {
            assert!(may_define(code), "{code}");
        }
        assert!(!may_define("echo a.b; ./run.sh source.txt"));
    }
}
