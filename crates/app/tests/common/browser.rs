//! A real browser without a window, driven by its DevTools protocol: what is dispatched there
//! arrives at the page as the events of a real hand.

use serde_json::{Value, json};
use std::{
    fs,
    io::{Read, Write},
    net::TcpStream,
    process::{Child, Command, Stdio},
    thread,
    time::{Duration, Instant},
};
use tungstenite::{Message, WebSocket};

/// What is waited for must come within this time.
const PATIENCE: Duration = Duration::from_secs(60);

/// A phone, as wide and as high as this in CSS pixels.
pub const PHONE: [u32; 2] = [390, 844];

/// A process that ends with whoever has it.
pub struct Ending(pub Child);

impl Drop for Ending {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

pub struct Browser {
    _process: Ending,
    socket: WebSocket<TcpStream>,
    calls: u64,
    _folder: tempfile::TempDir,
}

impl Browser {
    /// One that shows a page on a phone with ten fingers.
    pub fn open(address: &str) -> Self {
        Browser::open_after(address, "")
    }

    /// The same; before the page begins, a script of the test runs in it.
    pub fn open_after(address: &str, script: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let process = Command::new("chromium")
            .args(["--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"])
            .args(["--no-first-run", "--ignore-certificate-errors", "--remote-debugging-port=0"])
            .arg(format!("--user-data-dir={}", folder.path().display()))
            .arg("about:blank")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("scripts/test installs chromium");
        let process = Ending(process);
        let told = folder.path().join("DevToolsActivePort");
        let port = wait("the browser", || {
            let text = fs::read_to_string(&told).ok()?;
            text.lines().next()?.parse::<u16>().ok()
        });
        let target = wait("its page", || target(port));
        let stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        let (socket, _) = tungstenite::client(target, stream).unwrap();
        let mut browser = Browser { _process: process, socket, calls: 0, _folder: folder };
        let [width, height] = PHONE;
        browser.call(
            "Emulation.setDeviceMetricsOverride",
            json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": true }),
        );
        let fingers = json!({ "enabled": true, "maxTouchPoints": 10 });
        browser.call("Emulation.setTouchEmulationEnabled", fingers);
        browser.call("Page.enable", json!({}));
        let before = json!({ "source": script });
        browser.call("Page.addScriptToEvaluateOnNewDocument", before);
        browser.call("Page.navigate", json!({ "url": address }));
        browser
    }

    /// Has the browser do something, and returns what came of it.
    pub fn call(&mut self, method: &str, params: Value) -> Value {
        let answer = self.answer(method, params);
        assert!(answer.get("error").is_none(), "{method}: {answer}");
        answer["result"].clone()
    }

    fn answer(&mut self, method: &str, params: Value) -> Value {
        self.calls += 1;
        let call = json!({ "id": self.calls, "method": method, "params": params });
        self.socket.send(Message::text(call.to_string())).unwrap();
        loop {
            let Message::Text(text) = self.socket.read().unwrap() else { continue };
            let answer: Value = serde_json::from_str(&text).unwrap();
            if answer["id"] == self.calls {
                return answer;
            }
        }
    }

    /// What an expression is in the page; nothing while another page takes its place, which
    /// is when the browser cannot say it.
    pub fn value(&mut self, expression: &str) -> Value {
        let asked = json!({ "expression": expression, "returnByValue": true });
        self.answer("Runtime.evaluate", asked)["result"]["result"]["value"].clone()
    }

    /// Waits until an element of the page has these words, and returns all of them.
    pub fn wait_for(&mut self, id: &str, words: &str) -> String {
        let expression = format!("document.getElementById('{id}')?.textContent ?? ''");
        let started = Instant::now();
        loop {
            let text = self.value(&expression).as_str().unwrap_or_default().to_owned();
            if text.contains(words) {
                return text;
            }
            assert!(
                started.elapsed() < PATIENCE,
                "waited for {words:?} in {id}, which has {text:?}"
            );
            thread::sleep(Duration::from_millis(20));
        }
    }

    /// Fingers on the screen change: `touchStart`, `touchMove`, `touchEnd` or `touchCancel`, with
    /// the number and place of each that is on it.
    pub fn touch(&mut self, what: &str, fingers: &[(u32, [f64; 2])]) {
        let points: Vec<Value> = fingers
            .iter()
            .map(|(id, [x, y])| json!({ "x": x, "y": y, "id": id, "force": 0.5 }))
            .collect();
        self.call("Input.dispatchTouchEvent", json!({ "type": what, "touchPoints": points }));
    }

    /// Where the panel of the page is: left, top, width and height.
    pub fn panel(&mut self) -> [f64; 4] {
        let place = self.value(
            "(({ left, top, width, height }) => [left, top, width, height])\
             (document.getElementById('panel').getBoundingClientRect())",
        );
        std::array::from_fn(|n| place[n].as_f64().unwrap())
    }

    /// The smallest rectangle around what has this colour on a canvas, once it has it: left,
    /// top, right and bottom, in pixels of the page.
    pub fn coloured(&mut self, id: &str, [r, g, b]: [u8; 3]) -> [f64; 4] {
        let expression = format!(
            "(canvas => {{
                const {{ width, height }} = canvas, scale = canvas.width / canvas.clientWidth;
                const {{ data }} = canvas.getContext('2d').getImageData(0, 0, width, height);
                const isIts = at => data[at] === {r} && data[at + 1] === {g}
                    && data[at + 2] === {b} && data[at + 3] > 128;
                const box = [width, height, 0, 0];
                for (let y = 0; y < height; y += 1) for (let x = 0; x < width; x += 1) {{
                    if (!isIts(4 * (y * width + x))) continue;
                    box[0] = Math.min(box[0], x); box[1] = Math.min(box[1], y);
                    box[2] = Math.max(box[2], x + 1); box[3] = Math.max(box[3], y + 1);
                }}
                return box[2] === 0 ? null : box.map(of => of / scale);
            }})(document.getElementById('{id}'))"
        );
        let started = Instant::now();
        loop {
            let found = self.value(&expression);
            if let Some(found) = found.as_array() {
                return std::array::from_fn(|n| found[n].as_f64().unwrap());
            }
            assert!(started.elapsed() < PATIENCE, "nothing has the colour: {found}");
            thread::sleep(Duration::from_millis(20));
        }
    }
}

/// The socket of the page that the browser has.
fn target(port: u16) -> Option<String> {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).ok()?;
    let ask = format!("GET /json/list HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n");
    stream.write_all(ask.as_bytes()).ok()?;
    stream.set_read_timeout(Some(Duration::from_secs(2))).ok()?;
    let (mut answer, mut part) = (Vec::new(), [0; 4096]);
    // The browser leaves the connection open: it is complete once it can be read.
    let targets: Value = loop {
        let read = stream.read(&mut part).ok().filter(|read| *read > 0)?;
        answer.extend_from_slice(&part[..read]);
        let text = String::from_utf8_lossy(&answer);
        let body = text.split_once("\r\n\r\n").map(|(_, body)| serde_json::from_str(body));
        if let Some(Ok(targets)) = body {
            break targets;
        }
    };
    let page = targets.as_array()?.iter().find(|target| target["type"] == "page")?;
    Some(page["webSocketDebuggerUrl"].as_str()?.to_owned())
}

fn wait<T>(what: &str, mut look: impl FnMut() -> Option<T>) -> T {
    let started = Instant::now();
    loop {
        if let Some(found) = look() {
            return found;
        }
        assert!(started.elapsed() < PATIENCE, "waited for {what}");
        thread::sleep(Duration::from_millis(20));
    }
}
