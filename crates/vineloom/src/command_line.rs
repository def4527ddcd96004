//! The commands and their options.

use clap::{Args, Parser, Subcommand};
use std::path::PathBuf;
use vineloom_document::options::{Format, Kind, OptionValue};

/// Weaves plain-text documents: runs the code in them and puts what it gave into a page, a PDF and more.
#[derive(Debug, Parser)]
#[command(name = "vineloom", version, disable_help_subcommand = true, max_term_width = 100)]
pub struct CommandLine {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Run what changed in documents and export them
    Weave(WeaveArguments),
    /// Weave documents whenever something changes that they are made from, and show them live in a browser
    Watch(WatchArguments),
    /// Run a document, or one block of it, and show what it gives
    Run(RunArguments),
    /// Find everything wrong with documents that can be known without running them
    Check(CheckArguments),
    /// List the blocks of a document and what would become of each in a weave
    Blocks(BlocksArguments),
    /// Look after stored results: how much, whether sound, fewer, elsewhere
    Store(StoreArguments),
    /// Turn a script or a notebook into a document, or a document into a script
    Convert(ConvertArguments),
    /// List the comments and changes of an office document that came back
    Compare(CompareArguments),
    /// Put documents with everything that it takes to weave them elsewhere into one archive
    Pack(PackArguments),
    /// Open such an archive in a new folder
    Unpack(UnpackArguments),
    /// Start a document from a starter that weaves at once
    New(NewArguments),
    /// List the languages that can run here, and how to get the others
    Interpreters(InterpretersArguments),
    /// Look up options: what they mean, take, and are set to
    Options(OptionsArguments),
    /// Write the demo project to a folder and weave it
    Demo(DemoArguments),
}

/// Options of `weave`.
#[derive(Debug, Clone, Default, Args)]
#[command(
    after_help = "Exit codes: 0 done, 1 a block, a check or a step failed, 2 wrong use or an unreadable document, 130 interrupted."
)]
pub struct WeaveArguments {
    /// The documents; - is one on standard input, whose export goes to standard output unless --out says where
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Formats to export, instead of those the documents ask for
    #[arg(long, value_name = "FORMAT", value_delimiter = ',', value_parser = format)]
    pub to: Vec<Format>,
    /// Folder for the exports, instead of beside each document; - writes one export to standard output
    #[arg(long, value_name = "FOLDER")]
    pub out: Option<PathBuf>,
    /// Replace also files in the places of exports that somebody wrote by hand
    #[arg(long)]
    pub overwrite: bool,
    /// Set a parameter of the documents, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
    /// Weave once for each row of a table (CSV, TSV, JSON): its columns set the parameters of their names
    #[arg(long, value_name = "TABLE")]
    pub each: Option<PathBuf>,
    /// What exports are called, without their endings; for --each a pattern such as report-@[month]
    #[arg(long, value_name = "NAME")]
    pub name: Option<String>,
    /// Run every block, whatever is stored
    #[arg(long)]
    pub again: bool,
    /// How many documents, and strands of one, run side by side; as many as there are cores unless given
    #[arg(long, value_name = "NUMBER")]
    pub jobs: Option<usize>,
    /// Run nothing: export from stored results alone, on a machine without interpreters
    #[arg(long, conflicts_with = "again")]
    pub stored_only: bool,
    /// Only say what would run and why, and how long it took last time
    #[arg(long, conflicts_with_all = ["again", "stored_only"])]
    pub dry_run: bool,
    /// Run every block beside the store, show where it gives something else, and change nothing
    #[arg(long, conflicts_with_all = ["again", "stored_only", "dry_run", "out", "to"])]
    pub verify: bool,
    /// Run nothing, and fail where a block would have to run: a check that everything was woven
    #[arg(long, conflicts_with_all = ["again", "stored_only", "dry_run", "verify"])]
    pub all_kept: bool,
    /// Go on where a block fails: the failure stands in the exports, and the exit code is 1 all the same
    #[arg(long, conflicts_with_all = ["stored_only", "dry_run", "verify", "all_kept"])]
    pub keep_going: bool,
    /// Open the first export when it is written
    #[arg(long, conflicts_with_all = ["dry_run", "verify"])]
    pub open: bool,
    /// Leave out the steps that [after] asks for
    #[arg(long)]
    pub no_after: bool,
    /// Agree to the steps that [after] asks for, now and from now on
    #[arg(long, conflicts_with = "no_after")]
    pub trust: bool,
    /// Tell what happens as JSON, an object a line
    #[arg(long)]
    pub json: bool,
    /// Write a report that build services read (JUnit XML): a case for each block
    #[arg(long, value_name = "FILE")]
    pub junit: Option<PathBuf>,
    /// Say nothing unless something is wrong
    #[arg(long, short)]
    pub quiet: bool,
}

/// Options of `run`.
#[derive(Debug, Clone, Args)]
pub struct RunArguments {
    /// The document, or one of its blocks: guide.vine.md@daily-mean
    #[arg(value_name = "FILE[@BLOCK]")]
    pub target: String,
    /// Run the blocks down to this one, in the order of the document
    #[arg(long, value_name = "BLOCK", conflicts_with_all = ["only", "variables"])]
    pub through: Option<String>,
    /// Show only these blocks; what they need is run, and not shown
    #[arg(long, value_name = "BLOCK", value_delimiter = ',', conflicts_with = "variables")]
    pub only: Vec<String>,
    /// Show what the state of the block's strand holds after it, instead of its result
    #[arg(long)]
    pub variables: bool,
    /// Set a parameter of the document, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
    /// Run every block that is needed, whatever is stored
    #[arg(long)]
    pub again: bool,
    /// On a terminal, show the blocks of a whole document that were kept as well as those that ran
    #[arg(long)]
    pub kept: bool,
}

/// Options of `watch`.
#[derive(Debug, Clone, Args)]
pub struct WatchArguments {
    /// The documents, or folders with documents
    #[arg(required = true, value_name = "FILE | FOLDER")]
    pub paths: Vec<PathBuf>,
    /// The port of the live page; one that is taken takes the next
    #[arg(long, value_name = "NUMBER")]
    pub port: Option<u16>,
    /// Open no browser
    #[arg(long)]
    pub no_open: bool,
    /// Opens a line in an editor when its place in the print is clicked, as in --editor-command "edit +{line} {file}"
    #[arg(long, value_name = "COMMAND")]
    pub editor_command: Option<String>,
    /// Set a parameter of the documents, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
}

/// Options of `blocks`.
#[derive(Debug, Clone, Args)]
pub struct BlocksArguments {
    /// The document
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    /// Say of this block why it would run, or why not
    #[arg(long, value_name = "BLOCK")]
    pub why: Option<String>,
    /// Set a parameter of the document, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
    /// As JSON
    #[arg(long)]
    pub json: bool,
}

/// Options of `store`.
#[derive(Debug, Clone, Args)]
pub struct StoreArguments {
    /// The store's folder, instead of the one that a weave in the current folder uses
    #[arg(long, value_name = "FOLDER", global = true)]
    pub store: Option<PathBuf>,
    /// What to do
    #[command(subcommand)]
    pub command: StoreCommand,
}

/// What can be done with a store.
#[derive(Debug, Clone, Subcommand)]
pub enum StoreCommand {
    /// Say how much is stored
    Size,
    /// Look whether everything is as it was stored
    Verify,
    /// Remove what was not used for longest
    Clean {
        /// How much may be left, as in 5GB
        #[arg(long, value_name = "AMOUNT", value_parser = amount)]
        keep: u64,
    },
    /// Write everything that is stored to a file
    Export {
        /// The file, a tar archive
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
    /// Take in what was exported elsewhere
    Import {
        /// The file
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
}

/// Options of `check`.
#[derive(Debug, Clone, Args)]
pub struct CheckArguments {
    /// The documents
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Set a parameter of the documents, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
    /// The findings as JSON, for editors
    #[arg(long)]
    pub json: bool,
    /// Also what its exports can't show as it is meant, such as slides with too much on them: from stored results
    #[arg(long)]
    pub fit: bool,
}

/// Options of `convert`.
#[derive(Debug, Clone, Args)]
pub struct ConvertArguments {
    /// The file to convert: a script, a notebook, a document, or a folder of notebooks
    #[arg(value_name = "FROM")]
    pub from: PathBuf,
    /// The file to write; its extension says what it becomes. For a folder, the folder to write to
    #[arg(value_name = "TO")]
    pub to: PathBuf,
    /// Of an ordinary script: comments that part it into sections become headings
    #[arg(long)]
    pub headings: bool,
    /// Of an ordinary script: whole-line comments between blank lines become prose
    #[arg(long)]
    pub comments: bool,
}

/// Options of `compare`.
#[derive(Debug, Clone, Args)]
pub struct CompareArguments {
    /// The office document that came back (.docx)
    #[arg(value_name = "RETURNED")]
    pub returned: PathBuf,
    /// The document that it was made of; the one of its name unless given
    #[arg(value_name = "DOCUMENT")]
    pub document: Option<PathBuf>,
    /// Print them as JSON
    #[arg(long)]
    pub json: bool,
}

/// Options of `pack`.
#[derive(Debug, Clone, Args)]
pub struct PackArguments {
    /// The documents, of one project; they are woven before
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// The archive to write; DOCUMENT-pack.tar.gz unless given
    #[arg(long, value_name = "ARCHIVE")]
    pub to: Option<PathBuf>,
    /// Set a parameter of the documents, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
}

/// Options of `unpack`.
#[derive(Debug, Clone, Args)]
pub struct UnpackArguments {
    /// The archive
    #[arg(value_name = "ARCHIVE")]
    pub archive: PathBuf,
    /// The folder to make; it must not exist
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// How much it may hold
    #[arg(long, value_name = "AMOUNT", value_parser = amount, default_value = "4GiB")]
    pub limit: u64,
}

/// Options of `new`.
#[derive(Debug, Clone, Args)]
pub struct NewArguments {
    /// The document to write; it must not exist
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    /// What to start from
    #[arg(long, value_name = "STARTER", default_value = "guide", value_parser = ["guide", "report", "deck", "script", "blank"])]
    pub from: String,
    /// The title; asked for on a terminal
    #[arg(long)]
    pub title: Option<String>,
    /// The author; asked for on a terminal
    #[arg(long)]
    pub author: Option<String>,
    /// The date; today unless given
    #[arg(long)]
    pub date: Option<String>,
}

/// Options of `interpreters`.
#[derive(Debug, Clone, Args)]
pub struct InterpretersArguments {
    /// Only those that this document needs
    #[arg(value_name = "FILE")]
    pub file: Option<PathBuf>,
}

/// Options of `options`.
#[derive(Debug, Clone, Args)]
pub struct OptionsArguments {
    /// The option, or words about what it does; without them, all options
    #[arg(value_name = "NAME")]
    pub name: Vec<String>,
    /// Options whose name or meaning holds this word
    #[arg(long, value_name = "WORD", conflicts_with = "name")]
    pub search: Option<String>,
    /// What they are set to in a document, and where
    #[arg(long, value_name = "FILE", value_name = "DOCUMENT")]
    pub file: Option<PathBuf>,
    /// The JSON Schema of front matter and vineloom.toml, for editors
    #[arg(long, conflicts_with_all = ["name", "search", "file"])]
    pub schema: bool,
}

/// Options of `demo`.
#[derive(Debug, Clone, Args)]
pub struct DemoArguments {
    /// The folder
    #[arg(default_value = "vineloom-demo", value_name = "FOLDER")]
    pub folder: PathBuf,
    /// Say nothing unless something is wrong
    #[arg(long, short)]
    pub quiet: bool,
}

fn format(word: &str) -> Result<Format, String> {
    Format::from_word(word).ok_or_else(|| {
        let all: Vec<_> = Format::ALL.iter().map(|format| format.word()).collect();
        let meant = Format::meant_by(word).map_or_else(String::new, |format| format!("did you mean `{format}`? "));
        format!("{meant}The formats are {}", all.join(", "))
    })
}

fn amount(text: &str) -> Result<u64, String> {
    match Kind::Bytes.read(text) {
        Ok(OptionValue::Number(bytes)) => Ok(bytes.unsigned_abs()),
        _ => Err("write it as 5GB, 200MB, or a number of bytes".into()),
    }
}

fn setting(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((name, value)) if !name.trim().is_empty() => Ok((name.trim().to_string(), value.to_string())),
        _ => Err("write it as name=value".into()),
    }
}
