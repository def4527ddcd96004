//! Terminal sessions, as `console` blocks hold them: lines that begin with `$ ` are commands, `> ` continues one;
//! all other lines are what some earlier run printed, and are left out.

use crate::protocol::mark_start;

/// The commands of a session, each with its continuing lines.
pub(crate) fn commands(code: &str) -> Vec<String> {
    let mut commands: Vec<String> = Vec::new();
    for line in code.lines() {
        if let Some(command) = line.strip_prefix("$ ") {
            commands.push(command.to_string());
        } else if let (Some(more), Some(last)) = (line.strip_prefix("> "), commands.last_mut()) {
            last.push('\n');
            last.push_str(more);
        }
    }
    commands
}

/// The commands as a shell script that marks in its output where each begins.
pub(crate) fn script(commands: &[String], mark: &str) -> String {
    let start = mark_start(mark).iter().map(|byte| format!("\\{byte:03o}")).collect::<String>();
    let marked = |(at, command): (usize, &String)| format!("\\command printf '{start}{}\\003'\n{command}\n", at + 1);
    commands.iter().enumerate().map(marked).collect()
}

/// A command as it is typed: with its prompts.
pub(crate) fn typed(command: &str) -> String {
    format!("$ {}", command.replace('\n', "\n> "))
}

/// A shell's message as it says it in a terminal: without the file and line that it read the command from.
pub(crate) fn plain_message(text: &str, label: &str, shell: &str) -> String {
    if !text.contains(label) {
        return text.to_string();
    }
    let plain = |line: &str| {
        let Some((before, after)) = line.split_once(&format!("{label}: ")) else { return line.to_string() };
        let numbered =
            |text: &str| text.split(": ").all(|word| word.is_empty() || word == shell || word.parse::<u32>().is_ok());
        if !numbered(before) {
            return line.to_string();
        }
        let message = match after.strip_prefix("line ").and_then(|rest| rest.split_once(": ")) {
            Some((number, message)) if number.parse::<u32>().is_ok() => message,
            _ => after,
        };
        format!("{shell}: {message}")
    };
    text.split_inclusive('\n').map(plain).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_session_is_its_commands() {
        let found = commands("$ echo a\na\n$ for i in 1 2; do\n>   echo $i\n> done\nold\n");
        assert_eq!(found, ["echo a", "for i in 1 2; do\n  echo $i\ndone"]);
        assert_eq!(typed(&found[1]), "$ for i in 1 2; do\n>   echo $i\n> done");
        assert_eq!(script(&["ls".into()], "ab"), "\\command printf '\\002\\141\\142\\0721\\003'\nls\n");
    }

    #[test]
    fn messages_are_those_of_a_terminal() {
        assert_eq!(plain_message("sh: 2: @a1: foo: not found\n", "@a1", "sh"), "sh: foo: not found\n");
        assert_eq!(
            plain_message("@a1: line 2: foo: command not found\n", "@a1", "bash"),
            "bash: foo: command not found\n"
        );
        assert_eq!(plain_message("see @a1: there\n", "@a1", "sh"), "see @a1: there\n");
    }
}
