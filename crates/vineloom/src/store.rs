//! `vineloom store`: the results that are stored: how much, whether sound, fewer, elsewhere.

use crate::command_line::{StoreArguments, StoreCommand};
use crate::output::say;
use crate::{Exit, messages};
use std::path::Path;
use vineloom_store::Store;

/// Does one thing with the store of the current folder's project.
pub fn store(arguments: &StoreArguments) -> Exit {
    let folder = arguments.store.clone().unwrap_or_else(|| vineloom_project::store_for(Path::new(".")));
    let makes_one = matches!(arguments.command, StoreCommand::Import { .. });
    if !makes_one && !Store::is_in(&folder) {
        return no_store(&folder, arguments);
    }
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

/// There is no store where a weave here would have it; where one is that may be meant.
fn no_store(folder: &Path, arguments: &StoreArguments) -> Exit {
    let shown = vineloom_project::from_here(folder);
    let above = folder.ancestors().skip(2).map(|at| at.join(".vineloom")).find(|folder| Store::is_in(folder));
    let help = match above.filter(|_| arguments.store.is_none()) {
        Some(other) => {
            format!("there is one in {}: name it with `--store`", vineloom_project::from_here(&other).display())
        }
        None => {
            "a weave makes one, beside vineloom.toml or else beside the document; `--store` names one elsewhere".into()
        }
    };
    messages::error(&format!("there is no store in {}", shown.display()), Some(&help));
    Exit::WrongUse
}

fn steps(store: &Store, command: &StoreCommand) -> Result<Exit, String> {
    match command {
        StoreCommand::Size => {
            let size = store.size().map_err(|error| error.to_string())?;
            let folder = vineloom_project::from_here(store.folder());
            let states = if size.own > 0 { format!("{} of states, ", size.own) } else { String::new() };
            say!(
                "{}  {} results, {} objects, {states}{}",
                folder.display(),
                size.records,
                size.objects,
                amount(size.bytes)
            );
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
