//! Enumerations whose members are words in rigs, takes and reports.

use strum::VariantArray;

/// An enumeration whose members are words in rigs, takes and reports.
///
/// The words are those of the variants with hyphens, unless a variant says
/// another one.
///
/// ```
/// use gtrig_core::{Keyword, MainRule};
///
/// assert_eq!(MainRule::LastUsed.word(), "last-used");
/// assert_eq!(MainRule::from_word("first"), Some(MainRule::First));
/// assert_eq!(MainRule::ALL, [MainRule::First, MainRule::LastUsed]);
/// ```
pub trait Keyword: VariantArray + Copy + Into<&'static str> {
    /// All of them, in the order in which people are told them.
    const ALL: &'static [Self] = Self::VARIANTS;

    /// The word for it.
    fn word(self) -> &'static str {
        self.into()
    }

    /// The one that a word stands for.
    fn from_word(word: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|member| member.word() == word)
    }
}

impl<T: VariantArray + Copy + Into<&'static str>> Keyword for T {}
