//! QR codes, as rows of half blocks.

use qrcode::{Color, EcLevel, QrCode};

/// Light modules around the code, so that a camera finds it.
const QUIET: usize = 2;

/// The rows of the code of a text, two of its modules above each other in each. What is
/// light is drawn and what is dark is left out: it is to be shown bright on black. Nothing
/// when the text is too long for a code.
pub fn rows(text: &str) -> Option<Vec<String>> {
    let code = QrCode::with_error_correction_level(text, EcLevel::L).ok()?;
    let width = code.width();
    let is_light = |x: usize, y: usize| {
        let inside = QUIET..width + QUIET;
        !inside.contains(&x) || !inside.contains(&y) || code[(x - QUIET, y - QUIET)] == Color::Light
    };
    let side = width + 2 * QUIET;
    let glyph = |x: usize, y: usize| match (is_light(x, y), y + 1 < side && is_light(x, y + 1)) {
        (true, true) => '█',
        (true, false) => '▀',
        (false, true) => '▄',
        (false, false) => ' ',
    };
    Some((0..side).step_by(2).map(|y| (0..side).map(|x| glyph(x, y)).collect()).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The rows hold every module of the code, and nothing else.
    #[test]
    fn a_code_is_drawn_whole() {
        let text = "http://192.168.100.100:4711/#k=0123456789abcdef0123456789abcdef";
        let rows = rows(text).unwrap();
        let code = QrCode::with_error_correction_level(text, EcLevel::L).unwrap();
        assert_eq!(code.width(), 33, "it stands on a screen of 24 rows");
        assert_eq!(rows.len(), (33 + 2 * QUIET).div_ceil(2));
        let is_light = |x: usize, y: usize| {
            let glyph = rows[y / 2].chars().nth(x).unwrap();
            glyph == '█' || glyph == ['▀', '▄'][y % 2]
        };
        for y in 0..33 {
            for x in 0..33 {
                let light = code[(x, y)] == Color::Light;
                assert_eq!(is_light(x + QUIET, y + QUIET), light, "{x} {y}");
            }
        }
        assert!(rows[0].chars().all(|glyph| glyph == '█'));
    }

    #[test]
    fn what_is_too_long_has_no_code() {
        assert_eq!(rows(&"x".repeat(4000)), None);
    }
}
