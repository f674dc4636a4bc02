//! A certificate that this program signs itself, made anew at every start.
//!
//! Browsers give pads only to a page that came over TLS, or from the machine itself. They
//! warn of a certificate that nobody vouches for: a person compares its fingerprint with the
//! one that Green Trigger shows, and goes on.

use rustls::{
    ServerConfig,
    crypto::ring,
    pki_types::{PrivateKeyDer, PrivatePkcs8KeyDer},
};
use std::{fmt, io, net::SocketAddr, sync::Arc};

/// The certificate of a page, with its key.
#[derive(Clone)]
pub struct Certificate {
    pub(super) config: Arc<ServerConfig>,
    fingerprint: String,
}

impl Certificate {
    /// One for these addresses, and for this machine by its own name for itself.
    ///
    /// # Errors
    /// When none can be made.
    pub fn new(addresses: &[SocketAddr]) -> io::Result<Certificate> {
        let mut names: Vec<String> = addresses.iter().map(|at| at.ip().to_string()).collect();
        names.push("localhost".to_owned());
        let made = rcgen::generate_simple_self_signed(names).map_err(io::Error::other)?;
        let der = made.cert.der().clone();
        let digest = ::ring::digest::digest(&::ring::digest::SHA256, &der);
        let pairs: Vec<String> = digest.as_ref().iter().map(|byte| format!("{byte:02X}")).collect();
        let key = PrivateKeyDer::Pkcs8(PrivatePkcs8KeyDer::from(made.signing_key.serialize_der()));
        let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
            .with_safe_default_protocol_versions()
            .map_err(io::Error::other)?
            .with_no_client_auth()
            .with_single_cert(vec![der], key)
            .map_err(io::Error::other)?;
        Ok(Certificate { config: Arc::new(config), fingerprint: pairs.join(":") })
    }

    /// Its SHA-256 fingerprint, as browsers show it: pairs of hexadecimal digits.
    pub fn fingerprint(&self) -> &str {
        &self.fingerprint
    }
}

impl fmt::Debug for Certificate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Certificate {}", self.fingerprint)
    }
}
