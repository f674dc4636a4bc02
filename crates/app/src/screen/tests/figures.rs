//! What is drawn into files.

use super::*;

/// Types where the figure of what is shown shall go, and waits until the
/// status line says so: by its name, for what it said of the figure before is
/// still there while this one is drawn.
fn export(bench: &mut Bench, path: &Path, said: &str) {
    bench.keys("x");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(path.to_str().unwrap());
    bench.key(KeyCode::Enter);
    let name = path.file_name().unwrap().to_str().unwrap();
    wait_until(bench, |bench| {
        let last = bench.rows().pop().unwrap();
        last.contains(said) && last.contains(name)
    });
}

#[rstest]
#[case("v.svg", "drawn to")]
#[case("v.pdf", "drawn to")]
#[case("v.gif", "ends in .svg or .pdf")]
fn what_is_in_view_becomes_a_figure(#[case] name: &str, #[case] said: &str) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    let mut bench = Bench::story(Story::LostTap);
    export(&mut bench, &path, said);
    if let Some("svg") = path.extension().and_then(|e| e.to_str()) {
        let svg = std::fs::read_to_string(&path).unwrap();
        assert!(svg.contains("pad·2 south") && svg.contains("three quick taps"));
    }
}

#[test]
fn a_stick_and_its_measurement_become_figures_on_their_benches() {
    let folder = tempfile::tempdir().unwrap();
    let mut bench = Bench::story(Story::Rim);
    for (key, name, words) in [
        ("5", "stick.svg", "response: output over travel"),
        ("7", "measured.svg", "reach in 72 directions"),
    ] {
        bench.keys(key);
        wait_until(&mut bench, |bench| key != "7" || bench.shows("+0.0310 -0.0181"));
        export(&mut bench, &folder.path().join(name), "drawn to");
        let svg = std::fs::read_to_string(folder.path().join(name)).unwrap();
        assert!(svg.contains(words), "{name}");
    }
}
