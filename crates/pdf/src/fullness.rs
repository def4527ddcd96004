//! About how much a slide has on it. Whether it is too much is measured as print sets it, which takes its time: slides
//! that have little on them are not looked at.

use vineloom_export::deck::slides::Slide;
use vineloom_export::deck::{Aspect, SlideOptions};
use vineloom_woven::{Block, Float, Inline, InlineKind, Run, Shown, Table, Woven, each_inline, plain_text};

/// About so many lines of text make a slide so full that it has to be measured. What is set at less than 55 % of its size,
/// the point from which on it is told of, takes 25 of them or more.
pub(crate) const LINES_OF_SLIDE: f64 = 15.0;

/// About how many letters of text stand in a line of a wide slide.
const LETTERS: f64 = 52.0;
/// The same of one whose sides are as 4 to 3.
const LETTERS_OF_SQUARE: f64 = 38.0;
/// About how many letters of code stand where one of text does.
const LETTERS_OF_CODE: f64 = 1.2;
/// About how many lines a picture takes that has been made as small as it may be.
const PICTURE: f64 = 5.0;

/// About how many lines of text the content of a slide takes, rather too many than too few.
pub(crate) fn lines_on(slide: &Slide, woven: &Woven, options: &SlideOptions) -> f64 {
    let letters = match options.aspect {
        Aspect::Wide => LETTERS,
        Aspect::Square => LETTERS_OF_SQUARE,
    };
    let own = options.for_slide(slide);
    let scale = own.text_scale.max(own.code_scale);
    // Larger text takes more lines, each of them higher; smaller code takes as many as before.
    let scale = scale.max(scale * scale);
    let title = slide.title.map_or(0.0, |heading| lines(width(&plain_text(&heading.content)), letters / 1.5) - 1.0);
    let notes = slide.footnotes.iter().map(|&number| sum(woven.note(number), letters)).sum::<f64>();
    scale * sum(&slide.blocks, letters) + 1.5 * title + notes
}

/// How many letters wide a text is: those of the East take two.
fn width(text: &str) -> f64 {
    text.chars().map(|c| if c > '\u{10FF}' { 2.0 } else { 1.0 }).sum()
}

fn lines(width: f64, letters: f64) -> f64 {
    (width / letters.max(1.0)).ceil()
}

fn sum(blocks: &[Block], letters: f64) -> f64 {
    blocks.iter().map(|block| lines_of(block, letters)).sum()
}

/// Running text, with the space below it.
fn running(text: &[Inline], letters: f64) -> f64 {
    let mut pictures = 0.0;
    each_inline(text, &mut |inline| {
        pictures += if matches!(inline.kind, InlineKind::Image(_)) { PICTURE } else { 0.0 }
    });
    lines(width(&plain_text(text)), letters) + 0.6 + pictures
}

fn caption(float: Option<&Float>, letters: f64) -> f64 {
    float.map_or(0.0, |float| running(&float.caption, letters) + 0.6)
}

/// Code and output, which have a frame of their own.
fn code(text: &str, letters: f64) -> f64 {
    text.lines().map(|line| lines(width(line), LETTERS_OF_CODE * letters).max(1.0) * 0.9).sum::<f64>() + 1.2
}

/// The rows of a table, of each the widths of its cells.
fn rows(rows: impl Iterator<Item = f64>, columns: usize, letters: f64) -> f64 {
    rows.map(|widest| 1.1 * lines(widest, letters / columns.max(1) as f64).max(1.0)).sum::<f64>() + 2.0
}

fn data(table: &Table, letters: f64) -> f64 {
    let widest = |row: &Vec<Option<String>>| row.iter().flatten().map(|cell| width(cell)).fold(0.0, f64::max);
    rows(table.rows.iter().map(widest), table.columns.len(), letters)
}

fn lines_of(block: &Block, letters: f64) -> f64 {
    let inner = || block.children().into_iter().flatten().map(|block| lines_of(block, letters)).sum::<f64>();
    match block {
        Block::Heading(heading) => running(&heading.content, letters) + 0.6,
        Block::Paragraph { content, .. } => running(content, letters),
        Block::Table { header, rows: all, .. } => {
            let widest = |row: &[Vec<Inline>]| row.iter().map(|cell| width(&plain_text(cell))).fold(0.0, f64::max);
            rows(std::iter::once(widest(header)).chain(all.iter().map(|row| widest(row))), header.len(), letters)
        }
        Block::Data { table, float, .. } => data(table, letters) + caption(float.as_deref(), letters),
        Block::Equation { latex, .. } => 3.0 + 1.2 * latex.matches("\\\\").count() as f64,
        Block::Listing { code: listing, float, .. } => {
            code(&listing.text, letters) + caption(float.as_deref(), letters)
        }
        Block::Run(run) => of_run(run, letters),
        Block::Columns { widths, columns } => {
            let all: u32 = widths.iter().sum();
            let share = |at: usize| match widths.get(at) {
                Some(&width) if all > 0 => f64::from(width) / f64::from(all),
                _ => 1.0 / columns.len().max(1) as f64,
            };
            let each = columns.iter().enumerate().map(|(at, blocks)| sum(blocks, 0.9 * share(at) * letters));
            each.fold(0.0, f64::max) + 0.6
        }
        Block::Terms(terms) => inner() + terms.iter().map(|term| running(&term.term, letters)).sum::<f64>(),
        Block::Tabs(tabs) => inner() + 1.6 * tabs.len() as f64,
        Block::Notice { .. } | Block::Fold { .. } => inner() + 2.0,
        Block::Group { float, .. } => inner() + caption(float.as_deref(), letters),
        Block::Works(_) | Block::Rule | Block::Place(_) | Block::Speaker(_) => 0.0,
        Block::Html { html, .. } => running_html(html, letters),
        Block::Quote(_) | Block::List { .. } | Block::Steps(_) => inner() + 0.6,
    }
}

/// HTML, of which no more is known than how long it is.
fn running_html(html: &str, letters: f64) -> f64 {
    3.0 + lines(width(html), 2.0 * letters)
}

fn of_run(run: &Run, letters: f64) -> f64 {
    let shown = run.results.iter().map(|shown| match shown {
        Shown::Text { text, .. } => code(text, letters),
        Shown::Code(shown) => code(&shown.text, letters),
        Shown::Figure { .. } => PICTURE,
        Shown::Html { html, .. } => running_html(html, letters),
        Shown::LeftOut { .. } => 1.0,
        Shown::Table { table, .. } => data(table, letters),
        Shown::Blocks(blocks) => sum(blocks, letters),
    });
    let own = run.code.as_ref().map_or(0.0, |shown| code(&shown.text, letters));
    own + shown.sum::<f64>() + 0.8 + caption(run.float.as_deref(), letters)
}
