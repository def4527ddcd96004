//! Terminal sessions, as `console` blocks hold them: lines that begin with `$ ` are commands, `> ` continues one;
//! all other lines are what some earlier run printed, and are left out.

use crate::protocol::mark_start;

/// A command of a session.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct SessionCommand {
    /// As the shell gets it.
    pub text: String,
    /// The exit code that it is to have, where that is said behind it: `# @exit=1`.
    pub exit: Option<Exit>,
}

/// The exit code that a command is to have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// This one.
    Code(u8),
    /// Any.
    Any,
}

/// The commands of a session, each with its continuing lines.
pub(crate) fn commands(code: &str) -> Vec<SessionCommand> {
    let mut commands: Vec<SessionCommand> = Vec::new();
    for line in code.lines() {
        if let Some(command) = line.strip_prefix("$ ") {
            let (text, exit) = without_exit(command);
            commands.push(SessionCommand { text: text.to_string(), exit });
        } else if let (Some(more), Some(last)) = (line.strip_prefix("> "), commands.last_mut()) {
            let (more, exit) = without_exit(more);
            last.text.push('\n');
            last.text.push_str(more);
            last.exit = exit.or(last.exit);
        }
    }
    commands
}

/// A line without the comment at its end that says which exit code its command is to have.
fn without_exit(line: &str) -> (&str, Option<Exit>) {
    let Some((text, word)) = line.rsplit_once("# @exit=") else { return (line, None) };
    let exit = match word.trim() {
        "any" => Some(Exit::Any),
        word => word.parse().ok().map(Exit::Code),
    };
    let is_comment = text.is_empty() || text.ends_with(char::is_whitespace);
    if is_comment && exit.is_some() { (text.trim_end(), exit) } else { (line, None) }
}

/// The commands as a shell script that marks in its output where each begins. The session goes on with the exit code
/// of each command for the next one to see, and ends at one that has another code than it is to have; with `stop`, at the
/// first that fails.
pub(crate) fn script(commands: &[SessionCommand], mark: &str, stop: bool) -> String {
    let start = mark_start(mark).iter().map(|byte| format!("\\{byte:03o}")).collect::<String>();
    let mut script = String::new();
    let mut before: Option<&SessionCommand> = None;
    for (at, command) in commands.iter().enumerate() {
        // The command printf alters what a command may ask for, so that is put back where it is asked for.
        let asks = before.is_some() && command.text.contains("$?");
        let keep = if asks { "vineloom_exit=$?; " } else { "" };
        script.push_str(&format!("{keep}\\command printf '{start}{}\\003'\n", at + 1));
        if asks {
            script.push_str("(\\exit \"$vineloom_exit\")\n");
        }
        script.push_str(&command.text);
        script.push('\n');
        let is_last = at + 1 == commands.len();
        if let Some(check) = check(command, stop, is_last) {
            script.push_str(&check);
        }
        before = Some(command);
    }
    script
}

/// What ends a session after a command that has another exit code than it is to have.
fn check(command: &SessionCommand, stop: bool, is_last: bool) -> Option<String> {
    let goes_on = if is_last { "\\command :" } else { "(\\exit \"$vineloom_exit\")" };
    match command.exit {
        Some(Exit::Any) => is_last.then(|| "\\command :\n".into()),
        Some(Exit::Code(code)) => Some(format!(
            "vineloom_exit=$?; case $vineloom_exit in {code}) {goes_on} ;; \
             *) \\command printf 'this command ended with exit code %s, not with {code}\\n' \"$vineloom_exit\"; \
             case $vineloom_exit in 0) \\return 1 ;; *) \\return \"$vineloom_exit\" ;; esac ;; esac\n"
        )),
        None if stop && !is_last => Some("case $? in 0) ;; *) \\return ;; esac\n".into()),
        None => None,
    }
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
        let texts: Vec<&str> = found.iter().map(|command| command.text.as_str()).collect();
        assert_eq!(texts, ["echo a", "for i in 1 2; do\n  echo $i\ndone"]);
        assert_eq!(typed(texts[1]), "$ for i in 1 2; do\n>   echo $i\n> done");
        let ls = script(&commands("$ ls"), "ab", false);
        assert_eq!(ls, "\\command printf '\\002\\141\\142\\0721\\003'\nls\n");
    }

    #[test]
    fn a_command_may_say_how_it_ends() {
        let exit = |line: &str| commands(line)[0].clone();
        assert_eq!(exit("$ false  # @exit=1"), SessionCommand { text: "false".into(), exit: Some(Exit::Code(1)) });
        assert_eq!(exit("$ ls x # @exit=any").exit, Some(Exit::Any));
        for plain in ["$ echo '# @exit=x'", "$ echo a# @exit=1", "$ echo # exit=1"] {
            assert_eq!(exit(plain), SessionCommand { text: plain[2..].into(), exit: None });
        }
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
