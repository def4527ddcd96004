// The look of print: linen paper's type on white, and the thread in the margin.
#let ink = rgb("#2a2520")
#let soft = rgb("#665c50")
#let faint = rgb("#d9cfbd")
#let shade = rgb("#f6f2ea")
#let accent = rgb("#86301f")
#let strands = ("#355e8d", "#a23b3b", "#3f7550", "#8f6a0e", "#75487f", "#6f4e37").map(rgb)
#let code-colours = (
  c: rgb("#6d6252"), k: rgb("#86301f"), s: rgb("#3d6637"), n: rgb("#7a4f00"), l: rgb("#7a4f00"),
  f: rgb("#2b5585"), t: rgb("#6b3d78"), v: ink, o: rgb("#5c5348"),
)
// Colours that programs give their text in a terminal, and the same as pale grounds.
#let text-colours = (
  black: ink, red: strands.at(1), green: strands.at(2), yellow: strands.at(3), blue: strands.at(0),
  magenta: strands.at(4), cyan: rgb("#2b6a72"), white: soft,
)
#let ground-colours = (
  black: faint, red: rgb("#f6d9d6"), green: rgb("#d8ecdc"), yellow: rgb("#f5e3b3"), blue: rgb("#d9e5f3"),
  magenta: rgb("#ecdcf0"), cyan: rgb("#d4eaec"), white: faint,
)
// No name here may be one of the typesetter's own in formulas, such as mono.
#let code-font = ("DejaVu Sans Mono",)

#let sheet(title: "", paper: "a4", lang: "en", body) = {
  set page(
    paper: paper,
    margin: (x: 17.5%, top: 12.5%, bottom: 12.5%),
    header: context if here().page() > 1 {
      set text(8.5pt, fill: soft)
      align(right, emph(title))
    },
    footer: context {
      set text(8.5pt, fill: soft)
      align(right)[#counter(page).display() of #counter(page).final().first()]
    },
  )
  set text(font: "Libertinus Serif", size: 10.5pt, fill: ink, lang: lang, hyphenate: true)
  set par(justify: true, leading: 0.66em, spacing: 0.95em)
  set heading(numbering: none)
  show heading: it => {
    let sizes = (15pt, 12.5pt, 11.5pt, 11pt, 10.5pt, 10.5pt)
    set text(size: sizes.at(calc.min(it.level, 6) - 1), weight: "semibold", hyphenate: false)
    set par(justify: false, leading: 0.5em)
    block(above: if it.level == 1 { 2.1em } else { 1.8em }, below: 0.85em, sticky: true, {
      if it.numbering != none {
        text(weight: "regular", fill: soft, counter(heading).display(it.numbering))
        h(0.55em)
      }
      it.body
    })
  }
  show link: it => if type(it.dest) == str { text(fill: accent, it) } else { it }
  show raw: set text(font: code-font, size: 0.92em)
  show figure: set block(breakable: false)
  set footnote.entry(separator: line(length: 25%, stroke: 0.4pt + faint))
  set list(marker: ([•], [–]), indent: 0.2em, body-indent: 0.6em)
  set enum(indent: 0.2em, body-indent: 0.6em)
  body
}

#let title-block(title: [], subtitle: [], authors: (), date: none) = {
  set par(justify: false, leading: 0.45em)
  set text(hyphenate: false)
  v(1.2em)
  if title != [] { block(below: 14pt, text(23pt, weight: "semibold", title)) }
  if subtitle != [] { block(below: 20pt, text(13pt, style: "italic", fill: soft, subtitle)) }
  if authors.len() > 0 {
    block(below: 0.55em, authors.map(author => {
      author.name
      if author.affiliation != none { text(fill: soft)[ (#author.affiliation)] }
    }).join(", "))
  }
  if date != none { block(text(fill: soft, date)) }
  v(1.4em)
}

#let contents(depth) = {
  set outline.entry(fill: box(width: 1fr, repeat(text(fill: faint)[.], gap: 0.25em)))
  show outline.entry.where(level: 1): set block(above: 0.75em)
  set par(justify: false)
  block(below: 2.2em, {
    block(below: 0.8em, text(12pt, weight: "semibold")[Contents])
    outline(title: none, depth: depth, indent: 1.2em)
  })
}

// A paragraph that leads to what follows stays on its page.
#let leading(body) = block(sticky: true, above: 0.95em, below: 0.95em, body)

#let licence(text-of) = block(above: 2.5em, text(8.5pt, fill: soft)[Licence: #text-of])

// Code. The lines come coloured; the plain text is kept for readers and for copying.
#let code(plain, lines, first: none, marked: (), dense: false) = layout(size => {
  let width = size.width
  show raw.line: it => {
    // A box without width or height of its own: the line's stress lies behind its text.
    if marked.contains(it.number) {
      box(width: 0pt, height: 0pt, place(dx: -8pt, dy: -7.6pt, rect(width: width, height: 10.4pt, fill: rgb("#f5e3b3"))))
    }
    let at = it.number - 1
    let body = if at < lines.len() { lines.at(at) } else { it.body }
    if first != none {
      box(width: 1.6em, align(right, text(fill: soft, size: 0.85em, str(first + at))))
      h(1em)
    }
    body
  }
  show raw: set text(font: code-font, size: 7.4pt)
  set par(justify: false, leading: 0.62em)
  let space = if dense { 0.35em } else { 0.9em }
  block(width: 100%, fill: shade, inset: (x: 8pt, y: if dense { 2pt } else { 7pt }), radius: 2pt, above: space, below: space,
    breakable: true, raw(block: true, plain))
})

// What a program printed; its lines come styled where it used colours.
#let output(plain, colour: ink, lines: (), dense: false) = {
  show raw.line: it => if it.number <= lines.len() { lines.at(it.number - 1) } else { it.body }
  show raw: set text(font: code-font, size: 7.4pt, fill: colour)
  set par(justify: false, leading: 0.62em)
  let space = if dense { 0.35em } else { 0.75em }
  block(width: 100%, inset: (x: 8pt, y: 1pt), above: space, below: space, breakable: true, raw(block: true, plain))
}

// A transcript: statements and what they gave follow each other closely.
#let tight(body) = {
  set block(above: 0.35em, below: 0.35em)
  block(width: 100%, inset: (y: 5pt), body)
}

#let left-out(words) = block(inset: (x: 8pt), above: 0.6em, below: 0.6em, text(8.5pt, style: "italic", fill: soft, words))

// The thread in the margin: a line of the strand's colour, a knot where code stands.
#let run(strand, knot: true, joined: false, dense: false, whole: false, body) = {
  let colour = strands.at(calc.rem(strand, strands.len()))
  block(width: 100%, outset: (left: 13pt), stroke: (left: 1.6pt + colour), above: 1.25em, below: 1.25em, breakable: not whole, {
    if knot {
      place(top + left, dx: -13pt - 3.4pt, dy: 5pt, circle(radius: 3.4pt, fill: white, stroke: 1.6pt + colour))
    }
    if joined { block(width: 100%, fill: shade, radius: 2pt, inset: (top: if dense { 5pt } else { 0pt }, bottom: 7pt), body) } else { body }
  })
}

#let picture(path, alt) = layout(size => {
  let room = (width: size.width, height: 185mm)
  let natural = measure(image(path))
  let scale = calc.min(1, room.width / natural.width, room.height / natural.height)
  align(center, image(path, alt: alt, width: natural.width * scale, height: natural.height * scale))
})

#let floating(kind, supplement, number, caption, body) = {
  show figure.caption: it => {
    set text(9pt, fill: soft)
    set par(justify: false, leading: 0.5em)
    block(width: 100%, align(left)[#text(fill: ink, weight: "semibold")[#supplement #number.] #it.body])
  }
  show figure.where(kind: table): set figure.caption(position: top)
  show figure.where(kind: table): set block(breakable: true)
  show figure.where(kind: raw): set block(breakable: true)
  show figure: set align(left)
  show figure: set block(above: 1.3em, below: 1.3em)
  figure(body, kind: kind, supplement: supplement, numbering: _ => str(number), caption: caption, gap: 0.8em)
}

// Tables: ruled above and below, numbers right.
#let ruled(aligns, header, rows, size: 9pt) = {
  set text(size, number-type: "lining", number-width: "tabular", hyphenate: false)
  set par(justify: false, leading: 0.5em)
  let set-table = table(
    columns: aligns.len(), align: aligns, stroke: none,
    inset: (x, y) => (left: if x == 0 { 0pt } else { 7pt }, right: 7pt, y: 3.8pt),
    table.hline(stroke: 0.9pt + ink),
    table.header(..header.map(cell => text(weight: "semibold", cell))),
    table.hline(stroke: 0.4pt + faint),
    ..rows.flatten(),
    table.hline(stroke: 0.9pt + ink),
  )
  // A table of data that is wider than the page is made smaller as a whole; text in cells would rather wrap.
  block(above: 1.3em, below: 1.3em, breakable: rows.len() > 16, layout(room => {
    let width = measure(set-table).width
    let wide = width > room.width and aligns.len() > 8
    if wide { scale(room.width / width * 100%, origin: top + left, reflow: true, set-table) } else { set-table }
  }))
}

#let cut-row(columns, words) = table.cell(colspan: columns, align: left, text(style: "italic", fill: soft, words))

#let notice(colour, title, body) = block(width: 100%, fill: shade, inset: 9pt, radius: 2pt, above: 1.2em, below: 1.2em, {
  block(below: 0.6em, text(weight: "semibold", fill: colour, title))
  body
})

#let tab-title(body) = block(above: 1.3em, below: 0.7em, sticky: true, text(weight: "semibold", body))

#let side-by-side(count, ..parts) = block(above: 1.2em, below: 1.2em, grid(
  columns: (1fr,) * count, column-gutter: 14pt, ..parts.pos()))

#let work(body) = block(above: 0.7em, below: 0.7em, par(hanging-indent: 1.6em, justify: false, body))

#let quoted(body) = block(inset: (left: 1.2em), above: 1.1em, below: 1.1em, {
  set text(style: "italic", fill: soft)
  show raw: set text(style: "normal", fill: ink)
  body
})
#let divider = align(center, block(above: 1.8em, below: 1.8em, text(fill: soft)[—#h(0.5em)—#h(0.5em)—]))
