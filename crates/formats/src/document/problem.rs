//! A mistake in a document, with its place.

use crate::nearest::nearest;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use std::{fmt, ops::Range};

/// One mistake.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// What stands there.
    pub found: String,
    /// What should.
    pub expected: String,
    /// What was probably meant.
    pub hint: Option<String>,
    span: Range<usize>,
}

/// `12:8: found "pad/sowth", expected ... (did you mean "south"?)`
impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Problem { line, column, found, expected, .. } = self;
        write!(f, "{line}:{column}: found {found}, expected {expected}")?;
        match &self.hint {
            Some(hint) => write!(f, " (did you mean \"{hint}\"?)"),
            None => Ok(()),
        }
    }
}

/// The mistakes of a document. Its text shows each with the line it is on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistakes {
    /// The file, as named to people.
    pub file: String,
    /// The mistakes, in the order of their places; at least one, and of many the first
    /// [`MAX_LISTED`].
    pub problems: Vec<Problem>,
    /// How many there are besides.
    pub more: usize,
    text: String,
}

/// So many mistakes are listed; the others are counted.
pub const MAX_LISTED: usize = 100;

/// So many are kept until their order is known. A file has more only by a mistake that
/// is repeated, and then any of them shows it.
const MAX_KEPT: usize = 10_000;

impl fmt::Display for Mistakes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let renderer = Renderer::plain();
        for problem in &self.problems {
            let title = format!("found {}, expected {}", problem.found, problem.expected);
            let (lines, span) = lines_around(&self.text, &problem.span);
            let snippet = Snippet::source(lines)
                .path(&self.file)
                .line_start(problem.line)
                .annotation(AnnotationKind::Primary.span(span));
            let group = Level::ERROR.primary_title(&title).element(snippet);
            let hint = problem.hint.as_ref().map(|word| format!("did you mean \"{word}\"?"));
            let group = match &hint {
                Some(hint) => group.element(Level::HELP.message(hint)),
                None => group,
            };
            writeln!(f, "{}\n", renderer.render(&[group]))?;
        }
        let n = self.problems.len() + self.more;
        write!(f, "{}: {n} {}", self.file, if n == 1 { "mistake" } else { "mistakes" })?;
        match self.more {
            0 => Ok(()),
            _ => write!(f, ", of which the first {MAX_LISTED} are listed"),
        }
    }
}

impl std::error::Error for Mistakes {}

/// The lines on which a span is, and the span within them.
fn lines_around<'t>(text: &'t str, span: &Range<usize>) -> (&'t str, Range<usize>) {
    let begins = text[..span.start].rfind('\n').map_or(0, |at| at + 1);
    let ends = text[span.end..].find('\n').map_or(text.len(), |at| span.end + at);
    (&text[begins..ends], span.start - begins..span.end - begins)
}

/// A word and its place in the file.
#[derive(Clone, Debug)]
pub(crate) struct Word<'t> {
    pub(crate) text: &'t str,
    pub(crate) span: Range<usize>,
}

/// Mistakes as they are found.
pub(crate) struct Problems<'t> {
    text: &'t str,
    found: Vec<Problem>,
    /// How many were found that are not kept.
    beyond: usize,
}

impl<'t> Problems<'t> {
    pub(crate) fn new(text: &'t str) -> Self {
        Problems { text, found: Vec::new(), beyond: 0 }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.found.is_empty()
    }

    pub(crate) fn add(&mut self, span: Range<usize>, found: String, expected: &str) {
        self.push(span, found, expected, None);
    }

    /// An unknown `word` within a value at a place, with the nearest known one.
    pub(crate) fn add_unknown<'k>(
        &mut self,
        span: Range<usize>,
        word: &str,
        known: impl IntoIterator<Item = &'k str>,
        expected: &str,
    ) {
        let found = self.quote(span.clone());
        self.push(span, found, expected, nearest(word, known).map(str::to_owned));
    }

    /// An unknown word of a text, with the nearest known one.
    pub(crate) fn add_word<'k>(
        &mut self,
        word: &Word,
        known: impl IntoIterator<Item = &'k str>,
        expected: &str,
    ) {
        self.add_part(word, word.text, known, expected);
    }

    /// The same where only a part of the word is unknown.
    pub(crate) fn add_part<'k>(
        &mut self,
        word: &Word,
        part: &str,
        known: impl IntoIterator<Item = &'k str>,
        expected: &str,
    ) {
        let short: String = word.text.chars().take(40).flat_map(char::escape_debug).collect();
        let found = format!("`{short}`");
        let hint = nearest(part, known).map(str::to_owned);
        self.push(word.span.clone(), found, expected, hint);
    }

    pub(crate) fn push(
        &mut self,
        span: Range<usize>,
        found: String,
        expected: &str,
        hint: Option<String>,
    ) {
        if self.found.len() == MAX_KEPT {
            self.beyond += 1;
            return;
        }
        // The line is counted once it is known that it is listed.
        let (line, column) = (0, 0);
        let expected = expected.to_owned();
        self.found.push(Problem { line, column, found, expected, hint, span });
    }

    /// The text at a place of the file, cut when long, without control characters.
    pub(crate) fn quote(&self, span: Range<usize>) -> String {
        let text = &self.text[span];
        let first_line = text.lines().next().unwrap_or_default();
        let short: String = first_line.chars().take(40).flat_map(char::escape_debug).collect();
        let cut =
            if short.len() < text.len() && text.chars().nth(40).is_some() { "…" } else { "" };
        // Quotes need no escape here: the value brings its own.
        short.replace("\\\"", "\"").replace("\\'", "'") + cut
    }

    pub(crate) fn into_error(mut self, file: &str) -> Mistakes {
        self.found.sort_by_key(|problem| problem.span.start);
        let more = self.beyond + self.found.len().saturating_sub(MAX_LISTED);
        self.found.truncate(MAX_LISTED);
        let (mut line, mut begins) = (1, 0);
        for problem in &mut self.found {
            let start = problem.span.start;
            line += self.text[begins..start].matches('\n').count();
            begins = begins.max(self.text[..start].rfind('\n').map_or(0, |at| at + 1));
            problem.line = line;
            problem.column = self.text[begins..start].chars().count() + 1;
        }
        let (file, text) = (file.to_owned(), self.text.to_owned());
        Mistakes { file, problems: self.found, more, text }
    }
}
