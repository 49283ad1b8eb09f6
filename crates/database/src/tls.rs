//! Encrypted connections.

use std::sync::Arc;

use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{ClientConfig, DigitallySignedStruct, RootCertStore, SignatureScheme};

use crate::url::{ServerUrl, Tls};

/// How a client of this URL encrypts, and whom it trusts.
///
/// # Errors
///
/// Where the file of certificates cannot be read.
pub(crate) fn client(url: &ServerUrl) -> Result<Arc<ClientConfig>, String> {
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let builder = ClientConfig::builder_with_provider(provider.clone())
        .with_safe_default_protocol_versions()
        .map_err(|error| error.to_string())?;
    let config = match url.tls {
        Tls::VerifyFull => builder.with_root_certificates(authorities(url)?).with_no_client_auth(),
        Tls::Disable | Tls::Prefer | Tls::Require => {
            builder.dangerous().with_custom_certificate_verifier(Arc::new(Whoever(provider))).with_no_client_auth()
        }
    };
    Ok(Arc::new(config))
}

fn authorities(url: &ServerUrl) -> Result<RootCertStore, String> {
    let mut store = RootCertStore::empty();
    let Some(file) = &url.authorities else {
        store.extend(webpki_roots::TLS_SERVER_ROOTS.iter().cloned());
        return Ok(store);
    };
    let unreadable = |error: String| format!("`{}` cannot be read: {error}", file.display());
    let certificates = CertificateDer::pem_file_iter(file).map_err(|error| unreadable(error.to_string()))?;
    for certificate in certificates {
        let certificate = certificate.map_err(|error| unreadable(error.to_string()))?;
        store.add(certificate).map_err(|error| unreadable(error.to_string()))?;
    }
    if store.is_empty() {
        return Err(unreadable("there is no certificate in it".into()));
    }
    Ok(store)
}

/// Takes any certificate: the connection is encrypted, and nobody knows with whom.
#[derive(Debug)]
struct Whoever(Arc<CryptoProvider>);

impl ServerCertVerifier for Whoever {
    fn verify_server_cert(
        &self,
        _: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls12_signature(message, certificate, signature, &self.0.signature_verification_algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signature: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls13_signature(message, certificate, signature, &self.0.signature_verification_algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.signature_verification_algorithms.supported_schemes()
    }
}
