// The look of print: linen paper's type on white, and the thread in the margin.
// Sizes are in em, so that all of them follow the size of the text.

// What is written before this gives the page: text-font, code-font, text-size, code-size, page-size, margin, layout-name and
// columns-count. No name here may be one of the typesetter's own in formulas, such as mono.
#let room-height = page-size.height - margin.top - margin.bottom
// The side that lines begin at.
#let near(what) = if from-the-right { (right: what) } else { (left: what) }
// What hangs beside the text at that side.
#let hung(dx, dy, body) = if from-the-right { place(top + right, dx: dx, dy: dy, body) } else { place(top + left, dx: -dx, dy: dy, body) }

#let room-width = page-size.width - margin.left - margin.right

// What is set in one piece where a page has room for it, and else breaks over pages: nothing runs off the page.
// `body` takes whether it may break, and gives the content.
#let kept(body) = layout(size => {
  let whole = body(false)
  if measure(block(width: size.width, whole)).height <= 0.97 * room-height { whole } else { body(true) }
})

// The same of something that stands by itself.
#let alone(body) = kept(breakable => block(width: 100%, breakable: breakable, body))

// What the program is told of how something was set.
#let tell(named, what) = [#metadata((named: named, what: what))<told>]

// Headings are said again in the contents and at the head of pages: without their notes and pictures.
#let said-again = state("said-again", false)
#let note-of-heading(note) = context if not said-again.get() { note }
#let again(body) = {
  said-again.update(true)
  show image: none
  body
  said-again.update(false)
}

#let running-head(title) = context {
  show link: it => it.body
  let page = here().page()
  if page == 1 { return }
  // Where chapters begin is only asked where it is said: each answer has to be waited for.
  let chapters = if layout-name == "report" { query(heading.where(level: 1)) } else { () }
  if chapters.any(it => it.location().page() == page) { return }
  set text(0.81em, fill: soft)
  set par(justify: false)
  let before = chapters.filter(it => it.location().page() <= page)
  if before.len() > 0 { again(before.last().body) }
  h(1fr)
  emph(title)
}

#let page-number = context {
  if layout-name == "report" and here().page() == 1 { return }
  set text(0.81em, fill: soft)
  let (at, all) = (counter(page).get().first(), counter(page).final().first())
  align(right, said.page-of.replace("#", str(at)).replace("@", str(all)))
}

// Room for notes beside the text.
#let notes-room = place(top + left, dx: page-size.width - margin.right + 9mm, dy: margin.top, {
  let wide = margin.right - 18mm
  place(top + left, dy: -1.6em, text(0.81em, fill: soft, said.notes))
  let apart = 8.5mm
  for at in range(1, calc.floor(room-height / apart) + 1) {
    place(top + left, dy: at * apart, line(length: wide, stroke: 0.4pt + faint))
  }
})

#let sheet(title: "", lang: "en", region: none, body) = {
  set text(font: text-font, size: text-size, fill: ink, lang: lang, region: region, hyphenate: true)
  set page(
    width: page-size.width, height: page-size.height, margin: margin, columns: columns-count,
    header: running-head(title), footer: page-number,
    background: if layout-name == "handout" and margin.right > 40mm { notes-room },
  )
  set par(justify: true, leading: 0.66em, spacing: 0.95em)
  set heading(numbering: none)
  show heading: it => {
    let sizes = (1.43em, 1.19em, 1.1em, 1.05em, 1em, 1em)
    let chapter = layout-name == "report" and it.level == 1
    set text(size: if chapter { 1.9em } else { sizes.at(calc.min(it.level, 6) - 1) }, weight: "semibold", hyphenate: false)
    set par(justify: false, leading: 0.5em)
    let above = if it.level == 1 { 2.1em } else { 1.8em }
    block(above: if chapter { 0em } else { above }, below: if chapter { 1.2em } else { 0.85em }, sticky: true, {
      if it.numbering != none {
        // The number is written in the source. Asked of the counter it would depend on all headings before it.
        text(weight: "regular", fill: soft, (it.numbering)())
        h(0.55em)
      }
      it.body
    })
  }
  show link: it => if type(it.dest) == str { text(fill: accent, it) } else { it }
  // Code comes coloured: the typesetter need not read the rules of languages.
  set raw(theme: none)
  show raw: set text(font: code-font, size: 0.92em)
  // Words of code are whole, or cut where they are told to be.
  show raw.where(block: true): set text(hyphenate: false)
  show figure: set block(breakable: false)
  set footnote.entry(separator: line(length: 25%, stroke: 0.4pt + faint))
  show footnote.entry: set par(justify: false)
  set list(marker: ([•], [–]), indent: 0.2em, body-indent: 0.6em)
  set enum(indent: 0.2em, body-indent: 0.6em)
  body
}

#let author-names(authors, muted: soft) = authors.map(author => {
  author.name
  if author.affiliation != none { text(fill: muted)[ (#author.affiliation)] }
}).join(", ")

#let title-block(title: [], subtitle: [], authors: (), date: none, licence: none) = {
  let body = {
    set par(justify: false, leading: 0.45em)
    set text(hyphenate: false)
    let size = if layout-name == "handout" { 1.6em } else { 2.2em }
    if layout-name != "handout" { v(1.2em) }
    if title != [] { block(below: 1.33em, text(size, weight: "semibold", title)) }
    if subtitle != [] { block(below: 1.9em, text(1.24em, style: "italic", fill: soft, subtitle)) }
    if authors.len() > 0 { block(below: 0.55em, author-names(authors)) }
    if date != none { block(below: 0.55em, text(fill: soft, date)) }
    if licence != none { block(text(fill: soft)[#said.licence: #licence]) }
    v(1.4em)
  }
  if columns-count > 1 { place(top, scope: "parent", float: true, clearance: 0pt, block(width: 100%, body)) } else { body }
}

// A page of its own: the title hangs from the thread.
#let title-page(title: [], subtitle: [], authors: (), date: none, licence: none) = {
  set par(justify: false, leading: 0.45em)
  set text(hyphenate: false)
  let thread = strands.at(0)
  let body = {
    v(0.28 * room-height)
    block(width: 100%, outset: near(1.6em), stroke: near(0.17em + thread), {
      hung(1.6em + 0.42em, 0.55em, circle(radius: 0.42em, fill: ground, stroke: 0.17em + thread))
      if title != [] { block(below: 1.2em, text(2.7em, weight: "semibold", title)) }
      if subtitle != [] { block(below: 0em, text(1.35em, style: "italic", fill: soft, subtitle)) }
    })
    v(2.4em)
    for author in authors {
      block(below: 0.95em, { text(1.1em, author.name); if author.affiliation != none { linebreak(); text(fill: soft, author.affiliation) } })
    }
    if date != none { block(above: 1.2em, text(fill: soft, date)) }
    if licence != none { block(above: 1.2em, text(fill: soft)[#said.licence: #licence]) }
  }
  page(columns: 1, body)
}

#let contents(depth) = {
  // The dots that lead to the numbers are one line: letters by the thousand take long to draw, and are copied with the text.
  let dots = (paint: faint, thickness: 0.12em, cap: "round", dash: (array: (0pt, 0.46em), phase: 0pt))
  set outline.entry(fill: box(width: 1fr, line(length: 100%, stroke: dots)))
  show outline.entry.where(level: 1): set block(above: 0.75em)
  set par(justify: false)
  block(below: 2.2em, {
    let size = if layout-name == "report" { 1.9em } else { 1.14em }
    block(below: if layout-name == "report" { 1.6em } else { 0.8em }, text(size, weight: "semibold", said.contents))
    again(outline(title: none, depth: depth, indent: 1.2em))
  })
}

// A paragraph that stays with what follows it.
#let leading(body) = block(sticky: true, above: 0.95em, below: 0.95em, body)

// What is read from right to left.
#let from-right(body) = { set text(dir: rtl); set align(right); parbreak(); body; parbreak() }

// A line of code or output that is longer than its room goes on below, further in.
#let long-line(body, indent: 0em, fill: none) = box(width: 100%, fill: fill, outset: (x: 1.15em, y: 0.2em), par(hanging-indent: indent + 1.2em, body))

// A text in parts, each with how many lines stand before it; `line` is given that number and the line.
#let in-parts(parts, line, size) = {
  set block(spacing: 0.62 * size)
  for (before, part) in parts {
    show raw.line: line.with(before)
    raw(block: true, part)
  }
}

// Code. The lines come coloured; the plain text is kept for readers and for copying. `long` are the lines that are
// longer than their room; those that are `continued` go on with the line before.
#let code(parts, lines, first: none, marked: (), continued: (), long: (), dense: false, size: code-size) = {
  let digits = if first == none { 0 } else { calc.max(2, str(first + lines.len()).len()) }
  let body(stripe) = {
    let line(before, it) = {
      let number = before + it.number
      let written = number
      for at in continued { if at <= number { written -= 1 } }
      let body = {
        if first != none {
          // Letters of code are all as wide: room of so many is quicker to set than a box for each number.
          let shown = str(first + written - 1)
          if continued.contains(number) { h(0.62em * digits) } else {
            h(0.62em * digits - 0.602em * 0.85 * shown.len())
            text(fill: soft, size: 0.85em, shown)
          }
          h(1em)
        }
        if number <= lines.len() { lines.at(number - 1) } else { it.body }
      }
      let is-marked = marked.contains(written)
      if long.contains(number) {
        long-line(body, indent: if first == none { 0em } else { 0.62em * digits + 1em }, fill: if is-marked { stress })
      } else {
        // A box without width or height of its own: the line's stress lies behind its text.
        if is-marked { box(width: 0pt, height: 0pt, place(dx: -1.15em, dy: -1.03em, stripe)) }
        body
      }
    }
    show raw: set text(font: code-font, size: size)
    set par(justify: false, leading: 0.62em)
    let space = if dense { 0.35em } else { 0.9em }
    block(width: 100%, fill: shade, inset: (x: 0.76em, y: if dense { 0.19em } else { 0.67em }), radius: 2pt, above: space, below: space,
      breakable: true, in-parts(parts, line, size))
  }
  if marked.len() == 0 { body(none) } else { layout(size => body(rect(width: size.width, height: 1.41em, fill: stress))) }
}

// What a program printed; its lines come styled where it used colours.
#let output(parts, colour: ink, lines: (), long: (), dense: false, size: code-size) = {
  let line(before, it) = {
    let number = before + it.number
    let body = if number <= lines.len() { lines.at(number - 1) } else { it.body }
    if long.contains(number) { long-line(body) } else { body }
  }
  show raw: set text(font: code-font, size: size, fill: colour)
  set par(justify: false, leading: 0.62em)
  let space = if dense { 0.35em } else { 0.75em }
  block(width: 100%, inset: (x: 0.76em, y: 0.1em), above: space, below: space, breakable: true, in-parts(parts, line, size))
}

#let left-out(words) = block(inset: (x: 0.76em), above: 0.6em, below: 0.6em, par(text(0.81em, style: "italic", fill: soft, words)))

// The thread in the margin: a line of the strand's colour, a knot where code stands.
#let run(strand, knot: true, joined: false, dense: false, whole: false, body) = {
  let colour = strands.at(calc.rem(strand, strands.len()))
  let threaded(breakable) = block(
    width: 100%, outset: near(13pt), stroke: near(1.6pt + colour), above: 1.25em, below: 1.25em, breakable: breakable, {
    if knot {
      hung(13pt + 3.4pt, 0.48em, circle(radius: 3.4pt, fill: ground, stroke: 1.6pt + colour))
    }
    if joined { block(width: 100%, fill: shade, radius: 2pt, inset: (top: if dense { 0.48em } else { 0pt }, bottom: 0.67em), body) } else { body }
  })
  if whole { kept(threaded) } else { threaded(true) }
}

// A picture in its own size, or as large as there is room. One that says nothing is no part of what is read aloud.
#let picture(path, alt: none, decorative: false, wide: auto, share: 0.75) = layout(size => {
  let natural = measure(image(path, width: wide))
  // On a slide it fills what is left.
  let most = if layout-name == "slides" { 4 } else { 1 }
  let edge = if card == none { 0pt } else { 7pt }
  let high = share * room-height - 2 * edge
  let scale = calc.min(most, (size.width - 2 * edge) / natural.width, high / natural.height)
  let set-picture = image(path, alt: alt, width: natural.width * scale, height: natural.height * scale)
  let set-picture = if card == none { set-picture } else { box(fill: card, inset: edge, radius: 3pt, set-picture) }
  align(center, if decorative { pdf.artifact(set-picture) } else { set-picture })
})

// A picture within a line; one that is larger than the page is made to fit.
#let small-picture(path, alt: none, decorative: false, wide: auto) = context {
  let natural = measure(image(path, width: wide))
  // Where a heading is said again, pictures are nothing.
  if natural.width == 0pt { return }
  let room = if columns-count == 1 { room-width } else { 0.95 * room-width / columns-count }
  let scale = calc.min(1, room / natural.width, 0.75 * room-height / natural.height)
  let set-picture = image(path, alt: alt, width: natural.width * scale, height: natural.height * scale)
  box(if decorative { pdf.artifact(set-picture) } else { set-picture })
}

#let floating(kind, supplement, number, caption, body) = {
  show figure.caption: it => {
    set text(0.86em, fill: soft)
    set par(justify: false, leading: 0.5em)
    block(width: 100%, sticky: it.position == top, align(start)[#text(fill: ink, weight: "semibold")[#supplement #number.] #it.body])
  }
  // What may break over pages has its caption first, so that it stays with the beginning.
  show figure.where(kind: table): set figure.caption(position: top)
  show figure.where(kind: raw): set figure.caption(position: top)
  show figure.where(kind: table): set block(breakable: true)
  show figure.where(kind: raw): set block(breakable: true)
  show figure: set align(start)
  show figure: set block(above: 1.3em, below: 1.3em)
  let whole = figure(body, kind: kind, supplement: supplement, numbering: _ => str(number), caption: caption, gap: 0.8em)
  if kind != image { whole } else {
    // What is measured has no space around itself.
    block(above: 1.3em, below: 1.3em, width: 100%, kept(breakable => if not breakable { whole } else {
      // Several pictures, one after the other: the caption stays with the first.
      show figure.where(kind: image): set figure.caption(position: top)
      show figure: set block(breakable: true)
      whole
    }))
  }
}

// A number and what keeps its decimal mark under the others'. Numbers that are alike are one content for the typesetter when
// they come from here, and are set once: written out in each cell they would take a seventh more memory.
#let number(written, rest) = { written; hide(rest) }

// A formula that is wider than its line is made smaller as a whole; it can't be broken.
#let fitted(body, named: "") = layout(size => {
  let natural = measure(body)
  let share = calc.min(size.width / calc.max(natural.width, 1pt), 0.9 * room-height / calc.max(natural.height, 1pt))
  if share >= 1 { body } else {
    tell(named, "formula:" + str(calc.round(share * 100)) + ":")
    block(width: 100%, scale(share * 100%, origin: left, reflow: true, box(body)))
  }
})

// Tables: ruled above and below. A row is a list of cells, or the words that stand for rows left out.
#let left-out-rows(words) = text(style: "italic", fill: soft, words)

// What is done for each row or cell is done in a loop: of each call of a function the typesetter remembers what came of it.
#let plain-table(aligns, header, rows, repeat: true, columns: auto, heights: auto) = {
  let head = for cell in header { (text(weight: "semibold", cell),) }
  let cells = for row in rows {
    if type(row) == array { row } else { (table.cell(colspan: aligns.len(), align: start, left-out-rows(row)),) }
  }
  table(
    columns: if columns == auto { aligns.len() } else { columns }, align: aligns, stroke: none,
    rows: if heights == auto { auto } else { if header.len() > 0 { (auto,) } + heights },
    inset: ((left: 0pt, right: 0.67em, y: 0.42em),) + ((x: 0.67em, y: 0.42em),) * (aligns.len() - 1),
    table.hline(stroke: 0.9pt + ink),
    ..if header.len() > 0 { (table.header(repeat: repeat, ..head), table.hline(stroke: 0.4pt + faint)) },
    ..cells,
    table.hline(stroke: 0.9pt + ink),
  )
}

// A table each of whose cells is a line, where so much width has room for it. Left to itself the typesetter sets every cell
// three times: for how wide its column is, for how high its row is, and where it stands. A column set as lines is as wide as
// its widest cell, and a row set as one line is as high as its highest; where all is plain letters, every line is as high.
#let table-of-lines(aligns, header, rows, width, letters: false, repeat: true) = {
  let gap = 0.67em.to-absolute()
  let columns = for at in range(aligns.len()) {
    let cells = ()
    if header.len() > 0 { cells.push(text(weight: "semibold", header.at(at))) }
    for row in rows { if type(row) == array { cells.push(row.at(at)) } }
    let widest = 0pt
    for part in cells.chunks(100) { widest = calc.max(widest, measure(part.join(linebreak())).width) }
    (widest + gap + if at > 0 { gap } else { 0pt },)
  }
  // What is said over all columns makes the last one wider.
  let wide = columns.sum()
  for row in rows {
    if type(row) != array { wide = calc.max(wide, measure(left-out-rows(row)).width + gap) }
  }
  columns.last() += wide - columns.sum()
  if columns.sum() > width { return plain-table(aligns, header, rows, repeat: repeat) }
  let line = if letters { measure([x]).height }
  let heights = for row in rows {
    (if type(row) != array { auto } else { 0.84em + if letters { line } else { measure(row.join()).height } },)
  }
  plain-table(aligns, header, rows, repeat: repeat, columns: columns, heights: heights)
}

// How small a table may be made before it is turned, and turned before it is parted.
#let smallest = 0.72

// The same table in parts that stand one below the other, each with the first column.
#let parted-table(aligns, header, rows, width, named) = {
  let of-columns(columns) = {
    let (own-aligns, own-header, own-rows) = ((), (), ())
    for at in columns {
      own-aligns.push(aligns.at(at))
      if header.len() > 0 { own-header.push(header.at(at)) }
    }
    for row in rows {
      own-rows.push(if type(row) != array or row.len() == 0 { row } else { for at in columns { (row.at(at),) } })
    }
    plain-table(own-aligns, own-header, own-rows)
  }
  let gap = 0.67em.to-absolute()
  let widths = for at in range(aligns.len()) { (measure(of-columns((at,))).width + if at == 0 { 0pt } else { gap },) }
  let parts = ()
  let part = ()
  let used = widths.at(0)
  for at in range(1, aligns.len()) {
    if part.len() > 0 and used + widths.at(at) > width {
      parts.push(part)
      part = ()
      used = widths.at(0)
    }
    part.push(at)
    used += widths.at(at)
  }
  parts.push(part)
  for part in parts {
    let shown = if part.len() == 1 { str(part.first() + 1) } else { str(part.first() + 1) + "–" + str(part.last() + 1) }
    let words = (if part.len() == 1 { said.column-of } else { said.columns-of }).replace("#", shown).replace("@", str(aligns.len()))
    let piece(breakable) = block(width: 100%, above: 1em, below: 1em, breakable: breakable, {
      block(sticky: true, below: 0.5em, text(style: "italic", fill: soft, words))
      of-columns((0,) + part)
    })
    if rows.len() > 16 { piece(true) } else { kept(piece) }
  }
  tell(named, "parted:" + str(aligns.len()) + ":" + str(parts.len()))
}

// The same table with its head towards the left edge of the paper, on as many pages as its rows take. A row that is
// higher than the paper is wide can't be turned: nothing comes back then.
#let turned-table(aligns, header, rows, size, named) = {
  let all = measure(plain-table(aligns, header, rows))
  let shrink = calc.min(1, 0.92 * room-height / all.width)
  let of(rows) = plain-table(aligns, header, rows)
  let fits(rows) = measure(of(rows)).height * shrink <= size.width
  let pieces = ()
  let piece = ()
  let heights = ()
  if rows.len() <= 400 { for row in rows { heights.push(measure(of((row,))).height) } }
  let head = if header.len() > 0 { measure(of(())).height } else { 0pt }
  let used = head
  let usual = all.height / (rows.len() + 1)
  for (at, row) in rows.enumerate() {
    let height = if heights.len() > 0 { heights.at(at) - head } else { usual }
    if piece.len() > 0 and (used + height) * shrink > 0.96 * size.width {
      pieces.push(piece)
      piece = ()
      used = head
    }
    piece.push(row)
    used += height
  }
  pieces.push(piece)
  if not pieces.all(fits) { return none }
  for piece in pieces {
    rotate(-90deg, reflow: true, scale(shrink * 100%, reflow: true, of(piece)))
  }
  tell(named, "turned:" + str(aligns.len()) + ":")
}

// `short` is one that is sure to stand on a page: measuring costs as much as setting.
// `lines` says that each cell is a line, `letters` that nothing but plain letters stands in the rows.
#let ruled(aligns, header, rows, repeat: true, short: false, lines: false, letters: false, named: "") = {
  set text(0.857em, number-type: "lining", number-width: "tabular")
  set par(justify: false, leading: 0.5em)
  let whole = if lines { layout(size => table-of-lines(aligns, header, rows, size.width, letters: letters, repeat: repeat)) }
    else { plain-table(aligns, header, rows, repeat: repeat) }
  // A table of many columns is made to fit as a whole; the text of one with few would rather wrap. Measuring costs.
  let many = aligns.len() > 8
  let set-table(breakable) = block(above: 1.3em, below: 1.3em, breakable: breakable, if not many { whole } else { layout(size => {
    let natural = measure(whole).width
    let turned = if natural > size.width and size.width / natural < smallest and 0.92 * room-height / natural >= smallest {
      turned-table(aligns, header, rows, size, named)
    }
    if natural <= size.width { whole }
    else if size.width / natural >= smallest {
      tell(named, "scaled:" + str(aligns.len()) + ":" + str(calc.round(size.width / natural * 100)))
      // The text is made smaller, not the whole: that could not break over pages.
      set text(size.width / natural * 0.99 * 1em)
      whole
    } else if turned != none { turned }
    else { parted-table(aligns, header, rows, size.width, named) }
  }) })
  if many or rows.len() > 16 { set-table(true) } else if short { set-table(false) } else { kept(set-table) }
}

#let notice(colour, title, body) = block(width: 100%, fill: shade, inset: 0.86em, radius: 2pt, above: 1.2em, below: 1.2em, {
  block(below: 0.6em, sticky: true, text(weight: "semibold", fill: colour, title))
  body
})

#let tab-title(body) = block(above: 1.3em, below: 0.7em, sticky: true, text(weight: "semibold", body))

#let side-by-side(widths, ..parts) = block(above: 1.2em, below: 1.2em, grid(
  // The thread of a column stands in the gutter before it.
  columns: widths, column-gutter: 2em, ..parts.pos()))

#let work(body) = block(above: 0.7em, below: 0.7em, par(hanging-indent: 1.6em, justify: false, body))

#let quoted(body) = block(inset: near(1.2em), above: 1.1em, below: 1.1em, {
  set text(style: "italic", fill: soft)
  show raw: set text(style: "normal", fill: ink)
  body
})

// A term, and below it, further in, what it means.
#let meaning(term, body) = {
  block(above: 1em, below: 0.5em, sticky: true, text(weight: "semibold", term))
  block(inset: near(1.6em), above: 0.5em, below: 1em, body)
}

#let divider = align(center, block(above: 1.8em, below: 1.8em, text(fill: soft)[—#h(0.5em)—#h(0.5em)—]))

// A key of the keyboard.
#let key(body) = box(inset: (x: 0.3em), outset: (y: 0.22em), radius: 2pt, stroke: 0.5pt + soft, text(0.85em, font: code-font, body))
#let marked(body) = highlight(fill: stress, body)
