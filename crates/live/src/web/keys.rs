//! The keys of a page: one that lets the next browser in, once, and those of the browsers that
//! came, by which they come again.

use std::{collections::VecDeque, fs::File, io, io::Read};
use subtle::ConstantTimeEq;

/// So many browsers are known at once: of one more the oldest is forgotten.
pub(super) const MAX_PAGES: usize = 64;

/// What a browser has to know: 32 hexadecimal digits.
#[derive(Clone, PartialEq, Eq)]
pub(crate) struct PageKey(String);

impl PageKey {
    /// A new one, which nobody can guess: 128 bits of the system's randomness.
    ///
    /// # Errors
    /// When the system has none.
    fn new() -> io::Result<PageKey> {
        let mut bytes = [0; 16];
        File::open("/dev/urandom")?.read_exact(&mut bytes)?;
        Ok(PageKey(bytes.iter().map(|byte| format!("{byte:02x}")).collect()))
    }

    pub(crate) fn as_str(&self) -> &str {
        &self.0
    }

    /// Whether it was said, in a time that depends on the length alone.
    fn is(&self, said: &str) -> bool {
        self.0.as_bytes().ct_eq(said.as_bytes()).into()
    }
}

/// Its text stays out of every message.
impl std::fmt::Debug for PageKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("PageKey")
    }
}

/// See the module documentation. They are those of one run.
#[derive(Debug)]
pub(crate) struct Keys {
    next: PageKey,
    pages: VecDeque<PageKey>,
}

impl Keys {
    /// # Errors
    /// When the system has no random numbers.
    pub(crate) fn new() -> io::Result<Keys> {
        Ok(Keys { next: PageKey::new()?, pages: VecDeque::new() })
    }

    /// The one that lets the next browser in.
    pub(crate) fn next(&self) -> &PageKey {
        &self.next
    }

    /// The browser that says this comes in, by the key of the address or by its own: returns
    /// its own. The key of the address is used up by it, and another one is the next.
    ///
    /// # Errors
    /// When the system has no random numbers; then nothing is used up.
    pub(super) fn let_in(&mut self, said: &str) -> io::Result<Option<PageKey>> {
        if !self.next.is(said) {
            return Ok(self.of_page(said).cloned());
        }
        let (own, next) = (PageKey::new()?, PageKey::new()?);
        self.next = next;
        if self.pages.len() == MAX_PAGES {
            self.pages.pop_front();
        }
        self.pages.push_back(own.clone());
        Ok(Some(own))
    }

    /// The key of a browser that came, if this is one.
    pub(super) fn of_page(&self, said: &str) -> Option<&PageKey> {
        self.pages.iter().find(|key| key.is(said))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_differ_and_are_not_told() {
        let (one, other) = (PageKey::new().unwrap(), PageKey::new().unwrap());
        assert!(one != other && one.as_str().len() == 32);
        assert!(one.is(one.as_str()) && !one.is(other.as_str()) && !one.is(""));
        assert!(!format!("{one:?}").contains(one.as_str()));
    }

    #[test]
    fn the_key_of_an_address_is_used_up() {
        let mut keys = Keys::new().unwrap();
        let first = keys.next().clone();
        assert_eq!(keys.of_page(first.as_str()), None, "it opens no socket");
        let own = keys.let_in(first.as_str()).unwrap().unwrap();
        assert!(own != first && *keys.next() != first && *keys.next() != own);
        assert_eq!(keys.let_in(first.as_str()).unwrap(), None, "it is used up");
        assert_eq!(keys.let_in(own.as_str()).unwrap(), Some(own.clone()), "it comes again");
        let other = keys.let_in(keys.next().clone().as_str()).unwrap().unwrap();
        assert!(other != own && keys.of_page(own.as_str()).is_some(), "both are known");
        assert_eq!(keys.let_in("").unwrap(), None);
    }

    #[test]
    fn of_more_browsers_than_are_known_the_oldest_is_forgotten() {
        let mut keys = Keys::new().unwrap();
        let mut came: VecDeque<PageKey> = (0..=MAX_PAGES)
            .map(|_| keys.let_in(keys.next().clone().as_str()).unwrap().unwrap())
            .collect();
        let oldest = came.pop_front().unwrap();
        assert_eq!(keys.of_page(oldest.as_str()), None);
        assert!(came.iter().all(|key| keys.of_page(key.as_str()).is_some()));
    }
}
