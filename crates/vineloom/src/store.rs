//! `vineloom store`: the results that are stored: how much, whether sound, fewer, elsewhere.

use crate::command_line::{StoreArguments, StoreCommand};
use crate::output::say;
use crate::{Exit, messages};
use std::path::PathBuf;
use vineloom_store::Store;

/// Does one thing with the store of the current folder's project.
pub fn store(arguments: &StoreArguments) -> Exit {
    let Some(folder) = folder(arguments) else {
        let missing = match &arguments.store {
            Some(named) => format!("there is no store in {}", named.display()),
            None => "there is no store here, nor in a folder above".into(),
        };
        messages::error(
            &missing,
            Some("a weave makes one, `.vineloom`, beside vineloom.toml or the document; `--store` names one elsewhere"),
        );
        return Exit::WrongUse;
    };
    let opened = match messages::secret(&vineloom_project::surroundings()) {
        Ok(secret) => Store::open(&folder, secret).map_err(|error| error.to_string()),
        Err(problem) => return messages::problem(&problem),
    };
    match opened.and_then(|store| steps(&store, &arguments.command)) {
        Ok(exit) => exit,
        Err(problem) => {
            messages::error(&problem, None);
            Exit::Failed
        }
    }
}

/// The store that is meant: the one named, else the nearest above the current folder; an import may make one.
fn folder(arguments: &StoreArguments) -> Option<PathBuf> {
    let makes_one = matches!(arguments.command, StoreCommand::Import { .. });
    if let Some(folder) = &arguments.store {
        return (makes_one || Store::is_in(folder)).then(|| folder.clone());
    }
    let here = std::env::current_dir().ok()?;
    let found = here.ancestors().map(|at| at.join(".vineloom")).find(|folder| folder.is_dir());
    found.or_else(|| makes_one.then(|| here.join(".vineloom")))
}

fn steps(store: &Store, command: &StoreCommand) -> Result<Exit, String> {
    match command {
        StoreCommand::Size => {
            let size = store.size().map_err(|error| error.to_string())?;
            say!("{} results, {} objects, {}", size.records, size.objects, amount(size.bytes));
        }
        StoreCommand::Verify => {
            let damaged = store.damaged().map_err(|error| error.to_string())?;
            if damaged.is_empty() {
                say!("every result and every object is as it was stored");
            } else {
                damaged.iter().for_each(|path| say!("damaged: {}", path.display()));
                say!("what is damaged counts as absent, and is made again when it is needed");
                return Ok(Exit::Failed);
            }
        }
        StoreCommand::Clean { keep } => {
            let cleaned = store.clean(*keep).map_err(|error| error.to_string())?;
            say!("{} removed, {} left", amount(cleaned.removed), amount(cleaned.left));
        }
        StoreCommand::Export { file } => {
            let count = store.export(file).map_err(|error| format!("{} can't be written: {error}", file.display()))?;
            say!("{count} results and objects written to {}", file.display());
        }
        StoreCommand::Import { file } => {
            let count = store.import(file).map_err(|error| format!("{} can't be read: {error}", file.display()))?;
            say!("{count} results and objects taken in from {}", file.display());
        }
    }
    Ok(Exit::Done)
}

fn amount(bytes: u64) -> String {
    match bytes {
        0..10_000 => format!("{bytes} bytes"),
        10_000..10_000_000 => format!("{} KB", bytes / 1000),
        _ => format!("{} MB", bytes / 1_000_000),
    }
}
