
// Slides: boxes of fixed size, one a page or several on a sheet of paper. What does not fit one is made smaller as a
// whole; `body` takes how much of its height a picture may have, and gives the content.
#let slide-size = page-size
#let head-size = 1.48 * text-size
#let least = 0.55
// How much of a slide's height a picture has that stands beside the content, in a note.
#let share = 0.25

// The content in its room: pictures give way first, then all of it is made smaller.
#let fitting(body, width, height, pictures, told) = context {
  let made(share, part) = block(width: width / part, body(share))
  let high(share, part) = measure(made(share, part)).height * part
  let tries = if pictures { (0.78, 0.66, 0.55, 0.45, 0.36, 0.28).map(share => (share, 1)) } else { ((0.78, 1),) }
  let tries = tries + (0.92, 0.85, 0.78, 0.71, 0.64, 0.58, 0.52, 0.46, 0.4).map(part => (0.28, part))
  // Nothing is cut, however small it gets.
  let smaller = 0.4
  while smaller > 0.05 {
    smaller = smaller * 0.9
    tries.push((0.28, smaller))
  }
  // Measuring takes as long as setting: of so many tries, the first that fits is looked for near where it should be:
  // the height of text falls by the square of its size, but not that of a picture.
  let last = tries.len() - 1
  let found = 0
  let own = high(..tries.at(0))
  if own > height {
    let wanted = if height > 0pt { calc.sqrt(height / own) } else { 0 }
    let too-high = 0
    found = last
    let at = if pictures { 1 } else { calc.clamp(tries.filter(((_, part)) => part > wanted).len(), 1, last - 1) }
    let step = 1
    while found - too-high > 1 {
      if high(..tries.at(at)) <= height {
        found = at
        at = calc.max(too-high + 1, at - step)
      } else {
        too-high = at
        at = calc.min(found - 1, at + step)
      }
      step = 2 * step
    }
  }
  let (share, part) = tries.at(found)
  if part < least { tell(told.named, "slide:" + str(calc.round(part * 100)) + ":" + told.name) }
  if part == 1 { made(share, part) } else { scale(part * 100%, origin: top + left, reflow: true, made(share, part)) }
}

#let slide-foot(section, foot, count) = if section != none or foot != none or count != none {
  set text(0.55 * text-size, fill: soft)
  grid(columns: (1fr, auto, 1fr), align: (left, center, right), section, foot, count)
}

#let slide-notes(notes) = block(above: 4pt, width: 100%, inset: (top: 4pt), stroke: (top: 0.4pt + faint), {
  set text(0.52 * text-size, fill: soft)
  notes
})

#let slide-box(kind: "content", title: none, section: none, foot: none, count: none, emblem: none, notes: none, pictures: false, told: none, body) = {
  let thread = strands.at(0)
  set text(size: text-size, hyphenate: false)
  set par(justify: false, leading: 0.5em, spacing: 0.75em)
  show heading: set text(hyphenate: false)
  block(width: slide-size.width, height: slide-size.height, breakable: false, fill: if kind == "title" { band } else { ground }, clip: true, {
    place(top + left, dx: 35pt, line(angle: 90deg, length: 100%, stroke: 0.9pt + faint))
    if emblem != none { place(top + right, dx: -19pt, dy: 15pt, box(height: 30pt, emblem)) }
    let inside = (left: margin.left, right: margin.right, top: 26pt, bottom: 17pt)
    if kind == "content" {
      block(width: 100%, height: 100%, inset: inside, {
        let rows = (auto, 1fr, auto, auto)
        grid(rows: rows, columns: (100%,),
          if title == none { none } else { block(below: 0pt, inset: (bottom: 15pt), { set par(leading: 0.35em); text(head-size, weight: "semibold", title) }) },
          layout(size => block(width: size.width, height: size.height, fitting(body, size.width, size.height - 1pt, pictures, told))),
          if notes == none { none } else { slide-notes(notes) },
          block(inset: (top: 8pt), slide-foot(section, foot, count)),
        )
      })
    } else {
      place(left + horizon, dx: 35pt - 6.2pt, circle(radius: 6.2pt, fill: ground, stroke: 2.3pt + thread))
      block(width: 100%, height: 100%, inset: inside, {
        align(horizon, body(0.5))
        if notes != none { place(bottom + left, slide-notes(notes)) }
      })
    }
  })
}

#let slide-title(title: [], subtitle: [], authors: (), date: none, licence: none) = {
  set par(leading: 0.4em)
  set text(fill: band-ink)
  let soft = if band == ground { soft } else { band-ink }
  if title != [] { block(below: 0.55 * text-size, text(2.35 * text-size, weight: "semibold", title)) }
  if subtitle != [] { block(above: 1.1 * text-size, below: 1.7 * text-size, text(1.16 * text-size, style: "italic", fill: soft, subtitle)) }
  set text(0.8 * text-size)
  if authors.len() > 0 { block(below: 0.5em, author-names(authors, muted: soft)) }
  if date != none { block(below: 0.5em, text(fill: soft, date)) }
  if licence != none { block(below: 0.5em, text(fill: soft)[#said.licence: #licence]) }
}

// A heading as the outline of the PDF knows it, set as it stands on a slide.
#let slide-heading(level, number, outlined, body) = {
  show heading: it => it.body
  if number != none { text(fill: soft, weight: "regular", number); h(0.5em) }
  heading(level: level, outlined: outlined, bookmarked: outlined, body)
}

// Several slides on a sheet of paper: in pairs of columns, one below the other with lines to write on, or one with its notes.
#let sheets(per-sheet, slides) = {
  let (across, down) = if per-sheet == "2" { (1, 2) } else if per-sheet == "3" { (1, 3) } else if per-sheet == "4" { (2, 2) } else if per-sheet == "6" { (2, 3) } else { (1, 1) }
  let paper = if per-sheet == "4" { (width: 841.89pt, height: 595.28pt) } else { (width: 595.28pt, height: 841.89pt) }
  let edge = 42pt
  let gap = 24pt
  let beside = per-sheet == "3"
  let wide = (paper.width - 2 * edge - (across - 1) * gap) / across
  let wide = if beside { 0.56 * wide } else { wide }
  let high = (paper.height - 2 * edge - (down - 1) * gap) / down
  let part = calc.min(wide / slide-size.width, high / slide-size.height)
  let drawn(slide) = block(stroke: 0.6pt + soft, outset: 0.6pt, scale(part * 100%, origin: top + left, reflow: true, slide.at(0)))
  let lines(height) = block(height: height, width: 100%, inset: (left: 18pt), {
    for at in range(calc.floor(height / 20pt)) { place(top, dy: (at + 0.9) * 20pt, line(length: 100%, stroke: 0.4pt + faint)) }
  })
  let own-page(body) = page(width: paper.width, height: paper.height, margin: edge, header: none, footer: none, background: none, body)
  for group in slides.chunks(across * down) {
    own-page({
      if per-sheet == "notes" {
        drawn(group.at(0))
        v(20pt)
        set text(11pt)
        set par(justify: false)
        group.at(0).at(1)
      } else if beside {
        grid(columns: (auto, 1fr), row-gutter: gap, rows: (high,) * group.len(), ..group.map(slide => (drawn(slide), lines(high))).flatten())
      } else {
        grid(columns: (auto,) * across, column-gutter: gap, row-gutter: gap, rows: (high,) * calc.ceil(group.len() / across), ..group.map(drawn))
      }
    })
  }
}
