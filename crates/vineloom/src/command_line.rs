//! The commands and their options.

use clap::{Args, Parser, Subcommand};
use std::path::PathBuf;
use vineloom_document::options::Format;

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
    /// Write the demo project to a folder and weave it
    Demo(DemoArguments),
}

/// Options of `weave`.
#[derive(Debug, Clone, Args)]
#[command(
    after_help = "Exit codes: 0 done, 1 a block or a check failed, 2 wrong use or an unreadable document, 130 interrupted."
)]
pub struct WeaveArguments {
    /// The documents
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Formats to export, instead of those the documents ask for
    #[arg(long, value_name = "FORMAT", value_delimiter = ',', value_parser = format)]
    pub to: Vec<Format>,
    /// Folder for the exports, instead of beside each document
    #[arg(long, value_name = "FOLDER")]
    pub out: Option<PathBuf>,
    /// Set a parameter of the documents, as in --set month=July
    #[arg(long, value_name = "NAME=VALUE", value_parser = setting)]
    pub set: Vec<(String, String)>,
    /// Run every block, whatever is stored
    #[arg(long)]
    pub again: bool,
    /// Say nothing unless something is wrong
    #[arg(long, short)]
    pub quiet: bool,
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
        format!("the formats are {}", all.join(", "))
    })
}

fn setting(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((name, value)) if !name.trim().is_empty() => Ok((name.trim().to_string(), value.to_string())),
        _ => Err("write it as name=value".into()),
    }
}
