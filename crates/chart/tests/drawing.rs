//! Whole charts, by what is in their SVG.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use vineloom_chart::{Size, draw};
use vineloom_table::Table;

const READINGS: &str = "day,plot,moisture\n2026-06-01,North,31\n2026-06-02,North,29\n2026-06-03,North,30\n\
                        2026-06-01,Low,36\n2026-06-02,Low,35\n2026-06-03,Low,33\n";

fn drawn(spec: &str, csv: &str) -> String {
    draw(spec, &Table::read(csv).unwrap(), Size::default()).unwrap_or_else(|error| panic!("{error}: {spec}"))
}

/// The texts of a chart with the places they begin at.
fn texts(svg: &str) -> Vec<(f64, f64, String)> {
    let number = |tag: &str, name: &str| {
        tag.split(&format!(" {name}=\"")).nth(1).and_then(|rest| rest.split('"').next()?.parse().ok()).unwrap_or(0.0)
    };
    let one = |part: &str| {
        let (tag, rest) = part.split_once('>')?;
        Some((number(tag, "x"), number(tag, "y"), rest.split('<').next()?.trim().to_string()))
    };
    svg.split("<text").skip(1).filter_map(one).collect()
}

#[test]
fn a_line_chart_has_a_line_and_a_name_for_each_series() {
    let svg = drawn("x = \"day\"\ny = \"moisture\"\ncolour = \"plot\"\ntitle = \"Drying\"", READINGS);
    assert_eq!(svg.matches("stroke-width=\"2\"").count(), 2);
    let words: Vec<String> = texts(&svg).into_iter().map(|(_, _, text)| text).collect();
    for word in ["Drying", "North", "Low", "moisture", "day", "1 Jun", "3 Jun"] {
        assert!(words.iter().any(|text| text == word), "{word}: {words:?}");
    }
    assert_eq!(
        svg,
        drawn("x = \"day\"\ny = \"moisture\"\ncolour = \"plot\"\ntitle = \"Drying\"", READINGS),
        "the same each time"
    );
}

#[test]
fn every_kind_is_drawn_from_its_table() {
    for (kind, more) in
        [("line", ""), ("area", ""), ("point", ""), ("bar", "colour = \"plot\""), ("box", ""), ("histogram", "")]
    {
        let (x, y) = match kind {
            "histogram" => ("moisture", ""),
            "box" => ("plot", "y = \"moisture\""),
            _ => ("day", "y = \"moisture\""),
        };
        let svg = drawn(&format!("kind = \"{kind}\"\nx = \"{x}\"\n{y}\n{more}"), READINGS);
        assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>"), "{kind}");
        assert!(svg.matches('<').count() > 20, "{kind} draws something");
    }
}

#[test]
fn labels_along_the_axis_never_overlap() {
    let long = |count: usize| {
        let rows: String = (0..count).map(|n| format!("2026-{:02}-{:02},{n}\n", n / 28 % 12 + 1, n % 28 + 1)).collect();
        format!("day,n\n{rows}")
    };
    for count in [2, 5, 30, 90, 300] {
        for width in [60, 110, 160] {
            let table = Table::read(&long(count)).unwrap();
            let svg = draw("x = \"day\"\ny = \"n\"", &table, Size { width, height: 80 }).unwrap();
            let texts = texts(&svg);
            let lowest = texts.iter().filter(|(_, _, text)| text != "day").map(|(_, y, _)| *y).fold(0.0, f64::max);
            let mut along: Vec<(f64, usize)> = texts
                .iter()
                .filter(|(_, y, _)| (*y - lowest).abs() < 2.0)
                .map(|(x, _, text)| (*x, text.chars().count()))
                .collect();
            along.sort_by(|one, other| one.0.total_cmp(&other.0));
            assert!(along.len() >= 2, "{count} rows, {width} mm: {along:?}");
            for pair in along.windows(2) {
                let needed = (pair[0].1 + pair[1].1) as f64 / 2.0 * 5.5;
                assert!(pair[1].0 - pair[0].0 >= needed, "{count} rows, {width} mm: {along:?}");
            }
        }
    }
}

#[test]
fn words_that_have_no_room_lie_down_and_hostile_ones_stay_text() {
    let csv = "site,n\nHollin Ridge upper terrace and orchard,3\nBeck House lower meadow by the brook,5\nThe old walled garden of the mill,2\n";
    let svg =
        draw("kind = \"bar\"\nx = \"site\"\ny = \"n\"", &Table::read(csv).unwrap(), Size { width: 110, height: 80 })
            .unwrap();
    let places: Vec<f64> = texts(&svg)
        .into_iter()
        .filter(|(_, _, t)| t.starts_with("Hollin") || t.starts_with("Beck"))
        .map(|(_, y, _)| y)
        .collect();
    assert_eq!(places.len(), 2);
    assert!((places[0] - places[1]).abs() > 10.0, "one above the other: {places:?}");
    let svg = drawn("kind = \"bar\"\nx = \"site\"\ny = \"n\"", "site,n\n<script>&\"x,1\n");
    assert!(!svg.contains("<script>"), "{svg}");
}

#[test]
fn panels_share_their_axes() {
    let svg = drawn("x = \"day\"\ny = \"moisture\"\npanels = \"plot\"", READINGS);
    let count = |word: &str| texts(&svg).iter().filter(|(_, _, text)| text == word).count();
    assert_eq!((count("North"), count("Low")), (1, 1));
    assert_eq!(count("30"), 2, "the same scale in both");
}

#[test]
fn an_empty_table_is_told() {
    let table = Table { columns: Table::read("x,y\n1,2\n").unwrap().columns, rows: Vec::new() };
    assert!(draw("x = \"x\"\ny = \"y\"", &table, Size::default()).unwrap_err().message.contains("no rows"));
}
