// The colours of print: linen's, on white.
#let ground = white
#let ink = rgb("#2a2520")
#let soft = rgb("#665c50")
#let faint = rgb("#d9cfbd")
#let shade = rgb("#f6f2ea")
#let accent = rgb("#86301f")
#let stress = rgb("#f5e3b3")
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
// The title of a deck.
#let band = ground
#let band-ink = ink
// What lies under a figure: figures are drawn for light paper.
#let card = none
