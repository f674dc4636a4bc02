//! How a browser gets to the page, on the screen.

use super::*;
use gtrig_sources::Invitation;

/// A source that serves a page, to which these senders have come.
struct Page(Vec<Invitation>, Vec<SenderState>);

impl Source for Page {
    fn drain(&mut self, _: &mut Session, _: Nanos) {}

    fn senders(&self) -> Vec<SenderState> {
        self.1.clone()
    }

    fn invitations(&self) -> &[Invitation] {
        &self.0
    }
}

const KEY: &str = "#k=0123456789abcdef0123456789abcdef";

fn page(is_tls: bool, senders: Vec<SenderState>, size: (u16, u16)) -> Bench {
    let scheme = if is_tls { "https" } else { "http" };
    let invitation = Invitation {
        addresses: ["192.168.100.100", "10.0.0.7", "127.0.0.1"]
            .map(|at| format!("{scheme}://{at}:4711/{KEY}"))
            .to_vec(),
        fingerprint: is_tls.then(|| ["AB"; 32].join(":")),
    };
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Page(vec![invitation], senders))];
    let app = App::live(session, sources, None, Theme::new(true));
    Bench::new(app, Nanos(0), size)
}

/// A camera reads the code where there is room for it, also on the smallest usual screen.
#[rstest]
#[case::plain(false)]
#[case::tls(true)]
fn the_address_is_a_code_and_words(#[case] is_tls: bool) {
    let mut bench = page(is_tls, Vec::new(), (80, 24));
    bench.pass(10);
    assert!(bench.shows("Point a camera here") && bench.shows("://192.168.100.100:4711/"));
    assert_eq!(bench.shows("SHA-256"), is_tls);
    assert!(bench.shows("shows the next one."), "nothing is cut off: {}", bench.rows().join("\n"));
    let code = bench.rows().iter().filter(|row| row.matches(['█', '▀', '▄']).count() > 10).count();
    assert_eq!(code, 19, "{}", bench.rows().join("\n"));
    // With less room there are words alone.
    let mut small = page(is_tls, Vec::new(), (60, 20));
    small.pass(10);
    assert!(small.shows("Open in a browser") && !small.shows("▀▄"));
}

#[test]
fn it_goes_away_when_it_was_read_and_comes_again() {
    let mut bench = page(false, Vec::new(), (160, 47));
    bench.pass(10);
    assert!(bench.shows("also http://10.0.0.7:4711,"));
    for (key, shown) in
        [(KeyCode::Esc, false), (KeyCode::Char('Q'), true), (KeyCode::Char('Q'), false)]
    {
        bench.key(key);
        assert_eq!(bench.shows(" the page "), shown);
    }
    // Whoever came by way of the page has read it; a program that sends has not.
    for (place, shown) in [("page:192.168.100.100:4711", false), ("unix:/tmp/s", true)] {
        let who = SenderState { place: place.to_owned(), ..sender("phone", SenderIs::Here) };
        let mut bench = page(false, vec![who], (160, 47));
        bench.pass(10);
        assert_eq!(bench.shows(" the page "), shown, "{place}");
    }
}

#[test]
fn without_a_page_it_says_how_to_get_one() {
    let mut bench = Bench::live((160, 47));
    bench.keys("Q");
    assert!(bench.shows("gtrig live --page makes one"));
}

#[test]
fn it_fits_any_screen() {
    for width in (1..120).step_by(7) {
        for height in 1..30 {
            page(true, Vec::new(), (width, height)).pass(10);
        }
    }
}
