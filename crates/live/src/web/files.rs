//! The files of the page, as they are: there is no step that builds them.

/// One of them.
#[derive(Debug)]
pub(super) struct File {
    path: &'static str,
    kind: &'static str,
    text: &'static str,
}

const FILES: [File; 9] = [
    File { path: "/", kind: "text/html", text: include_str!("../../page/index.html") },
    File { path: "/page.css", kind: "text/css", text: include_str!("../../page/page.css") },
    script("/page.js", include_str!("../../page/page.js")),
    script("/link.js", include_str!("../../page/link.js")),
    script("/pointers.js", include_str!("../../page/pointers.js")),
    script("/keys.js", include_str!("../../page/keys.js")),
    script("/pads.js", include_str!("../../page/pads.js")),
    script("/picture.js", include_str!("../../page/picture.js")),
    script("/view.js", include_str!("../../page/view.js")),
];

const fn script(path: &'static str, text: &'static str) -> File {
    File { path, kind: "text/javascript", text }
}

impl File {
    /// The one at a path.
    pub(super) fn at(path: &str) -> Option<&'static File> {
        FILES.iter().find(|file| file.path == path)
    }

    /// The answer to a browser that reached this place by `host`. The page may load, and
    /// connect to, nothing but what is here, and stands in no other page.
    pub(super) fn response(&self, host: &str) -> Vec<u8> {
        let File { kind, text, .. } = self;
        format!(
            "HTTP/1.1 200 OK\r\nContent-Type: {kind}; charset=utf-8\r\nContent-Length: {length}\r\nConnection: close\r\nCache-Control: no-store\r\nX-Content-Type-Options: nosniff\r\nReferrer-Policy: no-referrer\r\nContent-Security-Policy: default-src 'none'; script-src 'self'; style-src 'self'; img-src data:; connect-src 'self' ws://{host} wss://{host}; frame-ancestors 'none'; base-uri 'none'; form-action 'none'\r\n\r\n{text}",
            length = text.len()
        )
        .into_bytes()
    }
}

/// The answer to a page that is let in: the key that it has from now on.
pub(super) fn key(own: &str) -> Vec<u8> {
    format!(
        "HTTP/1.1 200 OK\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Length: {length}\r\nConnection: close\r\nCache-Control: no-store\r\nX-Content-Type-Options: nosniff\r\n\r\n{own}",
        length = own.len()
    )
    .into_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The page asks for no file that is not here.
    #[test]
    fn every_file_that_is_named_is_served() {
        let mut named = 0;
        for file in &FILES {
            let quoted = file.text.split('"').skip(1).step_by(2);
            for name in quoted.filter_map(|name| name.strip_prefix("./")) {
                assert!(File::at(&format!("/{name}")).is_some(), "{name} in {}", file.path);
                named += 1;
            }
        }
        assert!(named >= FILES.len() - 1, "{named}");
    }
}
