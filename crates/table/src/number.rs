//! Numbers in sentences: no more digits than say something, in the marks of the reader's language.

/// How many digits a computed number has in a sentence, unless it is asked otherwise.
const DIGITS: i32 = 5;

/// How a number is to be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NumberStyle {
    /// How many digits follow the decimal mark; nothing: as many as make five in all.
    pub digits: Option<usize>,
    /// What stands between groups of three digits of the whole part; nothing where they are not grouped.
    pub group: Option<char>,
    /// The decimal mark.
    pub decimal: char,
}

/// A number as it is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrittenNumber {
    /// Its digits, grouped and with their mark.
    pub(crate) digits: String,
    /// The power of ten that it is times of.
    pub(crate) exponent: Option<i32>,
}

/// Writes a number; nothing where the text is no number. Whole numbers stay whole, to the last digit. Others are rounded
/// from the value as it is given, never from one that was rounded before.
///
/// ```
/// use vineloom_table::{NumberStyle, written_number};
///
/// let plain = NumberStyle { digits: None, group: None, decimal: '.' };
/// let written = |text, style| written_number(text, style).map(|number| number.in_sentence());
/// assert_eq!(written("159.16666666666666", plain).as_deref(), Some("159.17"));
/// assert_eq!(written("1234567.891", NumberStyle { group: Some(','), ..plain }).as_deref(), Some("1,234,568"));
/// assert_eq!(written("3.25", NumberStyle { digits: Some(1), decimal: ',', ..plain }).as_deref(), Some("3,2"));
/// assert_eq!(written("0.0000123456", plain).as_deref(), Some("1.2346 × 10⁻⁵"));
/// assert_eq!(written("three", plain), None);
/// ```
pub fn written_number(text: &str, style: NumberStyle) -> Option<WrittenNumber> {
    let text = text.trim();
    let value = text.parse::<f64>().ok().filter(|_| is_decimal(text))?;
    if !value.is_finite() {
        return None;
    }
    let is_whole = !text.contains(['.', 'e', 'E']);
    let scale = if value == 0.0 { 1 } else { scale_of(value) };
    let power = scale - 1;
    let (digits, exponent) = match style.digits {
        _ if is_whole => (text.trim_start_matches('+').to_string(), None),
        Some(digits) => (format!("{value:.digits$}"), None),
        None if (-4..15).contains(&power) || value == 0.0 => (shortened(text, value, DIGITS - scale), None),
        None => {
            let scientific = format!("{value:.*e}", DIGITS as usize - 1);
            let (mantissa, _) = scientific.split_once('e')?;
            (without_zeros(mantissa), Some(power))
        }
    };
    Some(WrittenNumber { digits: marked(&digits, style), exponent })
}

/// How many digits of a computed number the text has in all: those that count.
pub fn significant_digits(number: &str) -> usize {
    let mantissa = number.trim().split(['e', 'E']).next().unwrap_or_default();
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    digits.trim_start_matches('0').len()
}

/// Digits with perhaps a sign, a point and an exponent.
fn is_decimal(text: &str) -> bool {
    text.contains(|c: char| c.is_ascii_digit())
        && text.chars().all(|c| c.is_ascii_digit() || matches!(c, '+' | '-' | '.' | 'e' | 'E'))
}

/// How many digits stand before the point: none or fewer than none for what is less than one.
fn scale_of(value: f64) -> i32 {
    // The exponent as it is after rounding, so that 9.99999 has two.
    let scientific = format!("{:.*e}", DIGITS as usize - 1, value.abs());
    scientific.split_once('e').and_then(|(_, power)| power.parse::<i32>().ok()).unwrap_or(0) + 1
}

fn shortened(text: &str, value: f64, decimals: i32) -> String {
    let written = text.split_once('.').filter(|(_, behind)| behind.bytes().all(|byte| byte.is_ascii_digit()));
    if let Some((whole, behind)) = written
        && significant_digits(text) <= DIGITS as usize
    {
        // As it was given: 2.50 keeps its zero. A lone zero behind the point says nothing.
        return if behind == "0" || behind.is_empty() { whole.to_string() } else { text.to_string() };
    }
    let decimals = decimals.max(0) as usize;
    without_zeros(&format!("{value:.decimals$}"))
}

pub(crate) fn without_zeros(number: &str) -> String {
    match number.contains('.') {
        true => number.trim_end_matches('0').trim_end_matches('.').to_string(),
        false => number.to_string(),
    }
}

/// The digits with the marks of the language.
pub(crate) fn marked(digits: &str, style: NumberStyle) -> String {
    let (sign, rest) = digits.strip_prefix('-').map_or(("", digits), |rest| ("-", rest));
    let (whole, behind) = rest.split_once('.').map_or((rest, None), |(whole, behind)| (whole, Some(behind)));
    let is_zero = rest.bytes().all(|byte| matches!(byte, b'0' | b'.'));
    let mut text = String::from(if is_zero { "" } else { sign });
    for (at, digit) in whole.chars().enumerate() {
        if let Some(group) = style.group.filter(|_| at > 0 && (whole.len() - at) % 3 == 0) {
            text.push(group);
        }
        text.push(digit);
    }
    if let Some(behind) = behind {
        text.push(style.decimal);
        text.push_str(behind);
    }
    text
}

impl WrittenNumber {
    /// As it stands in a sentence.
    pub fn in_sentence(&self) -> String {
        const RAISED: [char; 10] = ['⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹'];
        let Some(exponent) = self.exponent else { return self.digits.clone() };
        let raise = |c: char| c.to_digit(10).map_or('⁻', |digit| RAISED[digit as usize]);
        format!("{} × 10{}", self.digits, exponent.to_string().chars().map(raise).collect::<String>())
    }

    /// As it stands in a formula, in LaTeX.
    pub fn in_formula(&self) -> String {
        let digits = self.digits.replace(',', "{,}").replace('\u{202F}', "\\,");
        match self.exponent {
            Some(exponent) => format!("{digits} \\times 10^{{{exponent}}}"),
            None => digits,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn written(text: &str, digits: Option<usize>, group: Option<char>, decimal: char) -> String {
        written_number(text, NumberStyle { digits, group, decimal }).map_or_else(String::new, |n| n.in_sentence())
    }

    #[test]
    fn computed_numbers_have_five_digits_and_whole_ones_all() {
        let plain = |text: &str| written(text, None, None, '.');
        for (given, expected) in [
            ("159.16666666666666", "159.17"),
            ("2.0", "2"),
            ("2.50", "2.50"),
            ("0.30000000000000004", "0.3"),
            ("-0.00123456789", "-0.0012346"),
            ("0.000123456789", "0.00012346"),
            ("99999.96", "100000"),
            ("9.999999", "10"),
            ("123456.789", "123457"),
            ("12345678901234567890", "12345678901234567890"),
            ("1e3", "1000"),
            ("6.02214076e23", "6.0221 × 10²³"),
            ("-1e-12", "-1 × 10⁻¹²"),
            ("0.0", "0"),
            ("-0.0", "0"),
            ("nan", ""),
            ("0x10", ""),
            ("2024-01-02", ""),
            ("", ""),
        ] {
            assert_eq!(plain(given), expected, "{given}");
        }
    }

    #[test]
    fn digits_groups_and_marks_are_as_asked() {
        assert_eq!(written("2.0", Some(2), None, '.'), "2.00");
        assert_eq!(written("3", Some(2), None, '.'), "3");
        assert_eq!(written("1234567.5", None, Some('\u{202F}'), ','), "1\u{202F}234\u{202F}568");
        assert_eq!(written("-1234.5", Some(2), Some('.'), ','), "-1.234,50");
        assert_eq!(written("999", None, Some(','), '.'), "999");
        assert_eq!(written("-0.001", Some(1), None, '.'), "0.0");
    }

    #[test]
    fn a_formula_has_its_own_way() {
        let number = |text, decimal| written_number(text, NumberStyle { digits: None, group: None, decimal }).unwrap();
        assert_eq!(number("3.25", ',').in_formula(), "3{,}25");
        assert_eq!(number("1.5e-9", '.').in_formula(), "1.5 \\times 10^{-9}");
    }
}
