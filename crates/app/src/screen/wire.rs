//! What goes over the line to the terminal: of a frame only what changed, and of that the
//! shortest way to say it. Over a slow line that is what makes the screen calm.

use ratatui::{
    backend::{Backend, ClearType, CrosstermBackend, WindowSize},
    buffer::Cell,
    layout::{Position, Size},
    style::{Color, Modifier},
};
use std::io::{self, Write};
use unicode_width::UnicodeWidthStr;

/// Draws cells, and leaves everything else to the usual backend.
///
/// Invariant: `at` is where the terminal's cursor is and `look` how it writes, as far as
/// that is known; both are not after anything else was written to it.
pub(super) struct Wire<W: Write> {
    usual: CrosstermBackend<W>,
    /// The column is not known after a glyph of another width than one, and in the last
    /// column terminals differ.
    at: Option<(Option<u16>, u16)>,
    columns: u16,
    look: Option<Look>,
    has_cursor: Option<bool>,
    /// What is drawn and was not sent yet.
    line: String,
}

/// So far back the cursor goes step by step.
const NEAR: u16 = 3;

const BACKSPACE: char = '\x08';

/// What begins a sequence; its codes follow.
const ESCAPE: &str = "\x1b[";

/// How the terminal writes, by what all terminals know.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Look {
    fg: Color,
    bg: Color,
    modifier: Modifier,
}

/// After the sequence that resets all.
const PLAIN: Look = Look { fg: Color::Reset, bg: Color::Reset, modifier: Modifier::empty() };

/// The modifiers that terminals know, with what sets and what ends each; bold and dim are
/// ended by one.
const MODIFIERS: [(Modifier, u8, u8); 8] = [
    (Modifier::BOLD, 1, 22),
    (Modifier::DIM, 2, 22),
    (Modifier::ITALIC, 3, 23),
    (Modifier::UNDERLINED, 4, 24),
    (Modifier::SLOW_BLINK, 5, 25),
    (Modifier::REVERSED, 7, 27),
    (Modifier::HIDDEN, 8, 28),
    (Modifier::CROSSED_OUT, 9, 29),
];

impl<W: Write> Wire<W> {
    /// A terminal with so many columns, of which nothing else is known.
    pub(super) fn new(out: W, columns: u16) -> Self {
        let usual = CrosstermBackend::new(out);
        Wire { usual, at: None, columns, look: None, has_cursor: None, line: String::new() }
    }

    /// The terminal has another width now.
    pub(super) fn resized(&mut self, columns: u16) {
        (self.at, self.columns) = (None, columns);
    }

    fn go_to(&mut self, x: u16, y: u16) {
        let [column_there, row_there] = [x, y].map(|n| u32::from(n) + 1);
        let line = &mut self.line;
        match self.at {
            Some((Some(column), row)) if (column, row) == (x, y) => {}
            Some((_, row)) if row == y => {
                line.push_str(ESCAPE);
                add_number(line, column_there);
                line.push('G');
            }
            // Down in a column, as the newest values of lanes are.
            Some((Some(column), row)) if row < y && x <= column && column - x <= NEAR => {
                line.push_str(ESCAPE);
                if y - row > 1 {
                    add_number(line, (y - row).into());
                }
                line.push('B');
                line.extend((x..column).map(|_| BACKSPACE));
            }
            _ => {
                line.push_str(ESCAPE);
                add_number(line, row_there);
                line.push(';');
                add_number(line, column_there);
                line.push('H');
            }
        }
    }

    fn look_like(&mut self, next: Look) {
        if self.look == Some(next) {
            return;
        }
        self.line.push_str(ESCAPE);
        if self.look.is_none() {
            self.line.push_str("0;");
        }
        add_codes(&mut self.line, self.look.unwrap_or(PLAIN), next);
        self.look = Some(next);
        // In the place of the last semicolon.
        self.line.pop();
        self.line.push('m');
    }
}

/// Adds the codes that lead from one look to another, each followed by a semicolon.
fn add_codes(codes: &mut String, was: Look, next: Look) {
    // One that ends bold ends dim as well.
    let ended = was.modifier - next.modifier;
    let weight = Modifier::BOLD | Modifier::DIM;
    let mut kept = was.modifier & next.modifier;
    if ended.intersects(weight) {
        kept -= weight;
    }
    let mut is_ended = [false; 30];
    for (modifier, _, end) in MODIFIERS {
        let was_ended = &mut is_ended[usize::from(end)];
        if ended.contains(modifier) && !std::mem::replace(was_ended, true) {
            add_code(codes, end);
        }
    }
    for (modifier, set, _) in MODIFIERS {
        if (next.modifier - kept).contains(modifier) {
            add_code(codes, set);
        }
    }
    if next.fg != was.fg {
        add_colour(codes, next.fg, 30);
    }
    if next.bg != was.bg {
        add_colour(codes, next.bg, 40);
    }
}

fn add_code(codes: &mut String, code: u8) {
    add_number(codes, code.into());
    codes.push(';');
}

/// Adds the digits of a number. A frame has a thousand numbers, and the formatting of the
/// standard library takes ten times as long.
fn add_number(text: &mut String, number: u32) {
    if number >= 10 {
        add_number(text, number / 10);
    }
    text.push(char::from(b'0' + (number % 10) as u8));
}

/// Adds the code of a colour: from 30 on in front, from 40 on behind.
fn add_colour(codes: &mut String, colour: Color, from: u8) {
    let mut add = |all: &[u8]| all.iter().for_each(|code| add_code(codes, *code));
    let mut indexed = |n: u8| add(&[from + 8, 5, n]);
    match colour {
        Color::Reset => add(&[from + 9]),
        Color::Rgb(r, g, b) => add(&[from + 8, 2, r, g, b]),
        Color::Indexed(n) => indexed(n),
        Color::Black => indexed(0),
        Color::Red => indexed(1),
        Color::Green => indexed(2),
        Color::Yellow => indexed(3),
        Color::Blue => indexed(4),
        Color::Magenta => indexed(5),
        Color::Cyan => indexed(6),
        Color::Gray => indexed(7),
        Color::DarkGray => indexed(8),
        Color::LightRed => indexed(9),
        Color::LightGreen => indexed(10),
        Color::LightYellow => indexed(11),
        Color::LightBlue => indexed(12),
        Color::LightMagenta => indexed(13),
        Color::LightCyan => indexed(14),
        Color::White => indexed(15),
    }
}

impl<W: Write> Backend for Wire<W> {
    type Error = io::Error;

    fn draw<'a, I>(&mut self, content: I) -> io::Result<()>
    where
        I: Iterator<Item = (u16, u16, &'a Cell)>,
    {
        for (x, y, cell) in content {
            self.go_to(x, y);
            let modifier = cell.modifier - Modifier::RAPID_BLINK;
            self.look_like(Look { fg: cell.fg, bg: cell.bg, modifier });
            let symbol = cell.symbol();
            self.line.push_str(symbol);
            let after = x.saturating_add(1);
            let after = (symbol.width() == 1 && after < self.columns).then_some(after);
            self.at = Some((after, y));
        }
        let sent = self.usual.write_all(self.line.as_bytes());
        self.line.clear();
        sent
    }

    fn hide_cursor(&mut self) -> io::Result<()> {
        match self.has_cursor.replace(false) {
            Some(false) => Ok(()),
            _ => self.usual.hide_cursor(),
        }
    }

    fn show_cursor(&mut self) -> io::Result<()> {
        match self.has_cursor.replace(true) {
            Some(true) => Ok(()),
            _ => self.usual.show_cursor(),
        }
    }

    fn get_cursor_position(&mut self) -> io::Result<Position> {
        self.usual.get_cursor_position()
    }

    fn set_cursor_position<P: Into<Position>>(&mut self, position: P) -> io::Result<()> {
        self.at = None;
        self.usual.set_cursor_position(position)
    }

    fn clear(&mut self) -> io::Result<()> {
        self.clear_region(ClearType::All)
    }

    fn clear_region(&mut self, of: ClearType) -> io::Result<()> {
        // What is cleared has the colours of the moment.
        (self.at, self.look) = (None, None);
        self.usual.write_all(b"\x1b[0m")?;
        self.usual.clear_region(of)
    }

    fn size(&self) -> io::Result<Size> {
        self.usual.size()
    }

    fn window_size(&mut self) -> io::Result<WindowSize> {
        self.usual.window_size()
    }

    fn flush(&mut self) -> io::Result<()> {
        Backend::flush(&mut self.usual)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use ratatui::{buffer::Buffer, layout::Rect, style::Style};
    use rstest::rstest;
    use std::{cell::RefCell, rc::Rc};

    fn look(fg: Color, bg: Color, modifier: Modifier) -> Look {
        Look { fg, bg, modifier }
    }

    #[rstest]
    #[case::one_colour(
        PLAIN,
        look(Color::Indexed(83), Color::Reset, Modifier::empty()),
        "38;5;83;"
    )]
    #[case::behind(PLAIN, look(Color::Reset, Color::Indexed(3), Modifier::empty()), "48;5;3;")]
    #[case::no_colour(look(Color::Red, Color::Blue, Modifier::empty()), PLAIN, "39;49;")]
    #[case::bold_ends(
        look(Color::Reset, Color::Reset, Modifier::BOLD.union(Modifier::DIM)),
        look(Color::Reset, Color::Reset, Modifier::DIM),
        "22;2;"
    )]
    #[case::both_end(look(Color::Reset, Color::Reset, Modifier::BOLD.union(Modifier::DIM)), PLAIN, "22;")]
    #[case::a_mixed_one(
        PLAIN,
        look(Color::Rgb(0, 10, 255), Color::Rgb(9, 99, 100), Modifier::empty()),
        "38;2;0;10;255;48;2;9;99;100;"
    )]
    #[case::reversed(PLAIN, look(Color::Reset, Color::Reset, Modifier::REVERSED), "7;")]
    fn looks_change_by_what_differs(#[case] was: Look, #[case] next: Look, #[case] expected: &str) {
        let mut codes = String::new();
        add_codes(&mut codes, was, next);
        assert_eq!(codes, expected);
    }

    /// What was sent, to be taken out.
    #[derive(Clone, Default)]
    struct Line(Rc<RefCell<Vec<u8>>>);

    impl Write for Line {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            self.0.borrow_mut().write(bytes)
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    /// A terminal that knows what is sent here.
    struct Terminal {
        cells: Vec<Vec<(String, Look)>>,
        at: (usize, usize),
        look: Look,
    }

    impl Terminal {
        fn take_in(&mut self, bytes: &[u8]) {
            let text = str::from_utf8(bytes).unwrap();
            let mut rest = text;
            while let Some(c) = rest.chars().next() {
                if let Some(sequence) = rest.strip_prefix("\x1b[") {
                    let end = sequence.find(|c: char| c.is_ascii_alphabetic()).unwrap();
                    let (args, command) = (&sequence[..end], &sequence[end..=end]);
                    self.command(args, command);
                    rest = &sequence[end + 1..];
                    continue;
                }
                if c == '\u{8}' {
                    self.at.0 -= 1;
                    rest = &rest[1..];
                    continue;
                }
                self.cells[self.at.1][self.at.0] = (c.to_string(), self.look);
                self.at.0 += c.to_string().width();
                rest = &rest[c.len_utf8()..];
            }
        }

        fn command(&mut self, args: &str, command: &str) {
            let numbers: Vec<usize> = args.split(';').map(|n| n.parse().unwrap_or(0)).collect();
            match command {
                "H" => self.at = (numbers[1] - 1, numbers[0] - 1),
                "G" => self.at.0 = numbers[0] - 1,
                "B" => self.at.1 += numbers[0].max(1),
                "m" => self.paint(&numbers),
                _ => {}
            }
        }

        fn paint(&mut self, codes: &[usize]) {
            let mut codes = codes.iter().copied();
            while let Some(code) = codes.next() {
                match code {
                    0 => self.look = PLAIN,
                    38 | 48 => {
                        assert_eq!(codes.next(), Some(5));
                        let colour = Color::Indexed(codes.next().unwrap() as u8);
                        if code == 38 {
                            self.look.fg = colour;
                        } else {
                            self.look.bg = colour;
                        }
                    }
                    39 => self.look.fg = Color::Reset,
                    49 => self.look.bg = Color::Reset,
                    code => {
                        for (modifier, set, end) in MODIFIERS {
                            if usize::from(end) == code {
                                self.look.modifier -= modifier;
                            }
                            if usize::from(set) == code {
                                self.look.modifier |= modifier;
                            }
                        }
                    }
                }
            }
        }
    }

    proptest! {
        /// Whatever is drawn, frame by frame, the terminal shows.
        #[test]
        fn the_terminal_shows_what_was_drawn(
            frames in prop::collection::vec(
                prop::collection::vec(
                    (0u16..12, 0u16..4, "[a-z█▁╱]", 0u8..4, 0u8..3, 0u16..512),
                    0..20,
                ),
                1..6,
            ),
        ) {
            let area = Rect { x: 0, y: 0, width: 12, height: 4 };
            let mut terminal =
                Terminal { cells: vec![vec![(" ".to_owned(), PLAIN); 13]; 4], at: (0, 0), look: PLAIN };
            let mut shown = Buffer::empty(area);
            let line = Line::default();
            let mut wire = Wire::new(line.clone(), 12);
            for frame in frames {
                let mut next = shown.clone();
                for (x, y, symbol, fg, bg, modifier) in frame {
                    let colour = |n: u8| if n == 0 { Color::Reset } else { Color::Indexed(n) };
                    let known = MODIFIERS.iter().fold(Modifier::empty(), |all, (it, ..)| all | *it);
                    let style = Style::new().fg(colour(fg)).bg(colour(bg));
                    let cell = &mut next[(x, y)];
                    cell.set_symbol(&symbol).set_style(style);
                    cell.modifier = Modifier::from_bits_truncate(modifier) & known;
                }
                let updates = shown.diff(&next);
                wire.draw(updates.into_iter()).unwrap();
                terminal.take_in(&line.0.take());
                shown = next;
                for y in 0..4u16 {
                    for x in 0..12u16 {
                        let cell = &shown[(x, y)];
                        let (symbol, look) = &terminal.cells[usize::from(y)][usize::from(x)];
                        prop_assert_eq!(symbol, cell.symbol());
                        prop_assert_eq!((look.fg, look.bg, look.modifier), (cell.fg, cell.bg, cell.modifier));
                    }
                }
            }
        }
    }
}
