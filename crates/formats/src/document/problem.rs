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

/// All mistakes of a document. Its text shows each with the line it is on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistakes {
    /// The file, as named to people.
    pub file: String,
    /// The mistakes, in the order of their places; at least one.
    pub problems: Vec<Problem>,
    text: String,
}

impl fmt::Display for Mistakes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let renderer = Renderer::plain();
        for problem in &self.problems {
            let title = format!("found {}, expected {}", problem.found, problem.expected);
            let snippet = Snippet::source(&self.text)
                .path(&self.file)
                .annotation(AnnotationKind::Primary.span(problem.span.clone()));
            let group = Level::ERROR.primary_title(&title).element(snippet);
            let hint = problem.hint.as_ref().map(|word| format!("did you mean \"{word}\"?"));
            let group = match &hint {
                Some(hint) => group.element(Level::HELP.message(hint)),
                None => group,
            };
            writeln!(f, "{}\n", renderer.render(&[group]))?;
        }
        let n = self.problems.len();
        write!(f, "{}: {n} {}", self.file, if n == 1 { "mistake" } else { "mistakes" })
    }
}

impl std::error::Error for Mistakes {}

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
}

impl<'t> Problems<'t> {
    pub(crate) fn new(text: &'t str) -> Self {
        Problems { text, found: Vec::new() }
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
        let before = &self.text[..span.start];
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        self.found.push(Problem {
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
            found,
            expected: expected.to_owned(),
            hint,
            span,
        });
    }

    /// The text at a place of the file, cut when long, without control characters.
    pub(crate) fn quote(&self, span: Range<usize>) -> String {
        let text = &self.text[span];
        let first_line = text.lines().next().unwrap_or_default();
        let short: String = first_line.chars().take(40).flat_map(char::escape_debug).collect();
        let cut = if short.len() < text.len() && text.chars().count() > 40 { "…" } else { "" };
        // Quotes need no escape here: the value brings its own.
        short.replace("\\\"", "\"").replace("\\'", "'") + cut
    }

    pub(crate) fn into_error(mut self, file: &str) -> Mistakes {
        self.found.sort_by_key(|p| (p.line, p.column));
        Mistakes { file: file.to_owned(), problems: self.found, text: self.text.to_owned() }
    }
}
