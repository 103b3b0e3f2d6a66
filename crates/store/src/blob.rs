//! Files by their content, through an object store: a local folder by default, an S3-compatible store where
//! several machines work on the same clips.

use std::path::Path as FilePath;
use std::sync::Arc;

use bytes::Bytes;
use futures::{StreamExt as _, TryStreamExt as _, stream::BoxStream};
use object_store::aws::AmazonS3Builder;
use object_store::local::LocalFileSystem;
use object_store::path::Path;
use object_store::prefix::PrefixStore;
use object_store::{GetOptions, GetRange, ObjectStore, ObjectStoreExt as _, WriteMultipart};
use sha2::{Digest, Sha256};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};

use crate::StoreError;

/// Bytes read at once when a file is moved in or out.
const CHUNK: usize = 256 * 1024;

/// Hash of a file's content, made while it arrives.
#[derive(Debug, Clone, Default)]
pub struct ContentHash(Sha256);

impl ContentHash {
    /// Takes in the next bytes.
    pub fn update(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    /// SHA-256 in hexadecimal.
    pub fn finish(self) -> String {
        self.0
            .finalize()
            .iter()
            .map(|b| format!("{b:02x}"))
            .collect()
    }
}

/// The files of all studios.
#[derive(Debug, Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// In a local folder, which is made when it is missing.
    pub fn in_folder(folder: &FilePath) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)?;
        Ok(Self {
            store: Arc::new(LocalFileSystem::new_with_prefix(folder)?),
        })
    }

    /// Where `place` says: `s3://bucket/folder`, with keys and endpoint from the environment as the common
    /// tools name them (`AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, `AWS_REGION`, `AWS_ENDPOINT`,
    /// `AWS_ALLOW_HTTP`), else a local folder.
    pub fn at(place: &str) -> Result<Self, StoreError> {
        let Some(rest) = place.strip_prefix("s3://") else {
            return Self::in_folder(FilePath::new(place));
        };
        let (bucket, folder) = rest.split_once('/').unwrap_or((rest, ""));
        Self::in_bucket(AmazonS3Builder::from_env(), bucket, folder)
    }

    /// In a folder of a bucket of an S3-compatible store.
    pub fn in_bucket(
        store: AmazonS3Builder,
        bucket: &str,
        folder: &str,
    ) -> Result<Self, StoreError> {
        // A second call finds the first one's choice, which is the same.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let bucket = store.with_bucket_name(bucket).build()?;
        let folder = folder.trim_matches('/');
        Ok(Self {
            store: if folder.is_empty() {
                Arc::new(bucket)
            } else {
                Arc::new(PrefixStore::new(bucket, folder))
            },
        })
    }

    /// Stores bytes under `key`.
    pub async fn put(&self, key: &str, bytes: Bytes) -> Result<(), StoreError> {
        self.store.put(&Path::from(key), bytes.into()).await?;
        Ok(())
    }

    /// What is stored under `key`, whole: for what is small.
    pub async fn get(&self, key: &str) -> Result<Bytes, StoreError> {
        Ok(self.store.get(&Path::from(key)).await?.bytes().await?)
    }

    /// Removes what is stored under `key`; what is not there is removed already.
    pub async fn remove(&self, key: &str) -> Result<(), StoreError> {
        match self.store.delete(&Path::from(key)).await {
            Err(object_store::Error::NotFound { .. }) => Ok(()),
            done => Ok(done?),
        }
    }

    /// Stores a local file under `key`, a piece at a time.
    pub async fn put_file(&self, key: &str, file: &FilePath) -> Result<(), StoreError> {
        let mut from = tokio::fs::File::open(file).await?;
        let upload = self.store.put_multipart(&Path::from(key)).await?;
        let mut to = WriteMultipart::new(upload);
        let mut piece = vec![0; CHUNK];
        loop {
            let n = from.read(&mut piece).await?;
            if n == 0 {
                break;
            }
            to.wait_for_capacity(4).await?;
            to.write(&piece[..n]);
        }
        to.finish().await?;
        Ok(())
    }

    /// Whether something is stored under `key`.
    pub async fn has(&self, key: &str) -> bool {
        self.store.head(&Path::from(key)).await.is_ok()
    }

    /// Removes everything in a folder whose name begins with one of these.
    pub async fn remove_starting(&self, folder: &str, starts: &[String]) -> Result<(), StoreError> {
        let all: Vec<Path> = self
            .store
            .list(Some(&Path::from(folder)))
            .map_ok(|found| found.location)
            .try_collect()
            .await?;
        for key in all {
            if starts.iter().any(|s| key.as_ref().starts_with(s.as_str())) {
                self.remove(key.as_ref()).await?;
            }
        }
        Ok(())
    }

    /// Keys of everything that is stored.
    pub async fn keys(&self) -> Result<Vec<String>, StoreError> {
        let mut all: Vec<String> = self
            .store
            .list(None)
            .map_ok(|found| found.location.to_string())
            .try_collect()
            .await?;
        all.sort();
        Ok(all)
    }

    /// Hash of what is stored under `key`, read a piece at a time.
    pub async fn hash(&self, key: &str) -> Result<String, StoreError> {
        let mut hash = ContentHash::default();
        let mut from = self.store.get(&Path::from(key)).await?.into_stream();
        while let Some(piece) = from.try_next().await? {
            hash.update(&piece);
        }
        Ok(hash.finish())
    }

    /// Size in bytes.
    pub async fn size(&self, key: &str) -> Result<u64, StoreError> {
        Ok(self.store.head(&Path::from(key)).await?.size)
    }

    /// Bytes `from..to` as they are read.
    pub async fn read(
        &self,
        key: &str,
        from: u64,
        to: u64,
    ) -> Result<BoxStream<'static, Result<Bytes, object_store::Error>>, StoreError> {
        let options = GetOptions {
            range: Some(GetRange::Bounded(from..to)),
            ..GetOptions::default()
        };
        let got = self.store.get_opts(&Path::from(key), options).await?;
        Ok(got.into_stream().boxed())
    }

    /// Copies what is stored under `key` into a local file.
    pub async fn fetch(&self, key: &str, file: &FilePath) -> Result<(), StoreError> {
        self.join(std::slice::from_ref(&key.to_owned()), file)
            .await?;
        Ok(())
    }

    /// Copies what is stored under `keys`, one after the other, into a local file and gives its hash.
    pub async fn join(&self, keys: &[String], file: &FilePath) -> Result<ContentHash, StoreError> {
        let mut to = tokio::fs::File::create(file).await?;
        let mut hash = ContentHash::default();
        for key in keys {
            let mut from = self
                .store
                .get(&Path::from(key.as_str()))
                .await?
                .into_stream();
            while let Some(piece) = from.try_next().await? {
                hash.update(&piece);
                to.write_all(&piece).await?;
            }
        }
        to.flush().await?;
        Ok(hash)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a studio does with its files, wherever they lie.
    async fn comes_back(blobs: &Blobs) {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("in");
        // More than one piece of an upload in parts.
        let bytes: Vec<u8> = (0..6_000_000u32).map(|i| (i % 251) as u8).collect();
        std::fs::write(&file, &bytes).unwrap();
        blobs.put_file("original/abc", &file).await.unwrap();
        assert_eq!(blobs.size("original/abc").await.unwrap(), 6_000_000);
        let out = dir.path().join("out");
        blobs.fetch("original/abc", &out).await.unwrap();
        assert!(std::fs::read(&out).unwrap() == bytes);
        let part: Vec<Bytes> = blobs
            .read("original/abc", 1_000, 1_300)
            .await
            .unwrap()
            .try_collect()
            .await
            .unwrap();
        assert_eq!(part.concat(), &bytes[1_000..1_300]);
        assert!(!blobs.has("original/none").await);
        assert!(blobs.fetch("original/none", &out).await.is_err());
        for (key, words) in [("a/1", "two "), ("a/2", "pieces")] {
            blobs.put(key, words.into()).await.unwrap();
        }
        let keys = ["a/1".to_owned(), "a/2".to_owned()];
        assert_eq!(&blobs.get("a/2").await.unwrap()[..], b"pieces");
        let hash = blobs.join(&keys, &out).await.unwrap().finish();
        assert_eq!(std::fs::read(&out).unwrap(), b"two pieces");
        let mut whole = ContentHash::default();
        whole.update(b"two pieces");
        assert_eq!(hash, whole.finish());
        for _ in 0..2 {
            blobs.remove("a/1").await.unwrap();
        }
        assert!(!blobs.has("a/1").await && blobs.has("a/2").await);
    }

    #[tokio::test]
    async fn files_come_back_from_a_folder() {
        let dir = tempfile::tempdir().unwrap();
        let place = dir.path().join("blobs");
        comes_back(&Blobs::at(place.to_str().unwrap()).unwrap()).await;
        assert!(place.join("original/abc").is_file());
    }

    #[tokio::test]
    async fn files_come_back_from_a_bucket() {
        let (endpoint, kept) = bucket::serve().await;
        let store = AmazonS3Builder::new()
            .with_endpoint(endpoint)
            .with_allow_http(true)
            .with_region("here")
            .with_access_key_id("key")
            .with_secret_access_key("secret");
        let blobs = Blobs::in_bucket(store, "films", "hall/").unwrap();
        comes_back(&blobs).await;
        let kept = kept.lock().unwrap();
        let keys: Vec<&str> = kept.keys().map(String::as_str).collect();
        assert_eq!(keys, ["films/hall/a/2", "films/hall/original/abc"]);
    }

    #[test]
    fn equal_content_has_an_equal_hash() {
        let mut a = ContentHash::default();
        a.update(b"two ");
        a.update(b"pieces");
        let mut b = ContentHash::default();
        b.update(b"two pieces");
        let a = a.finish();
        assert_eq!(a, b.finish());
        assert_eq!(a.len(), 64);
    }

    /// As much of an S3-compatible store as a client of one needs, in memory.
    mod bucket {
        use std::collections::{BTreeMap, HashMap};
        use std::sync::{Arc, Mutex};

        use axum::body::Bytes;
        use axum::extract::{Path, Query, State};
        use axum::http::{HeaderMap, Method, StatusCode, header};
        use axum::response::{IntoResponse as _, Response};

        pub type Kept = Arc<Mutex<BTreeMap<String, Vec<u8>>>>;

        /// Its address and what it keeps.
        pub async fn serve() -> (String, Kept) {
            let kept = Kept::default();
            let app = axum::Router::new()
                .route("/{*key}", axum::routing::any(one))
                .layer(axum::extract::DefaultBodyLimit::disable())
                .with_state(kept.clone());
            let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
            let address = format!("http://{}", listener.local_addr().unwrap());
            tokio::spawn(async move { axum::serve(listener, app).await });
            (address, kept)
        }

        async fn one(
            State(kept): State<Kept>,
            method: Method,
            Path(key): Path<String>,
            Query(asked): Query<HashMap<String, String>>,
            headers: HeaderMap,
            body: Bytes,
        ) -> Response {
            // Every request is signed.
            if !headers.contains_key(header::AUTHORIZATION) {
                return StatusCode::FORBIDDEN.into_response();
            }
            let mut kept = kept.lock().unwrap();
            let tag = [(header::ETAG, "\"tag\"")];
            if method == Method::POST && asked.contains_key("delete") {
                let words = String::from_utf8(body.to_vec()).unwrap();
                let (_, rest) = words.split_once("<Key>").unwrap();
                let (gone, _) = rest.split_once("</Key>").unwrap();
                kept.remove(&format!("{key}/{gone}"));
                return format!(
                    "<DeleteResult><Deleted><Key>{gone}</Key></Deleted></DeleteResult>"
                )
                .into_response();
            }
            match (method, asked.get("partNumber"), asked.get("uploadId")) {
                (Method::POST, None, None) => format!(
                    "<InitiateMultipartUploadResult><UploadId>{key}</UploadId></InitiateMultipartUploadResult>"
                )
                .into_response(),
                (Method::PUT, Some(part), Some(_)) => {
                    let part: u32 = part.parse().unwrap();
                    kept.insert(format!("{key}#{part:05}"), body.to_vec());
                    tag.into_response()
                }
                (Method::POST, None, Some(_)) => {
                    let of = format!("{key}#");
                    let parts: Vec<String> =
                        kept.keys().filter(|k| k.starts_with(&of)).cloned().collect();
                    let whole: Vec<u8> =
                        parts.iter().flat_map(|p| kept.remove(p).unwrap()).collect();
                    kept.insert(key, whole);
                    "<CompleteMultipartUploadResult><ETag>tag</ETag></CompleteMultipartUploadResult>"
                        .into_response()
                }
                (Method::PUT, ..) => {
                    kept.insert(key, body.to_vec());
                    tag.into_response()
                }
                (Method::DELETE, ..) => {
                    kept.remove(&key);
                    StatusCode::NO_CONTENT.into_response()
                }
                (Method::GET, ..) => {
                    let Some(bytes) = kept.get(&key) else {
                        return StatusCode::NOT_FOUND.into_response();
                    };
                    let range = headers.get(header::RANGE).map(|r| {
                        let (from, to) =
                            r.to_str().unwrap()["bytes=".len()..].split_once('-').unwrap();
                        (from.parse::<usize>().unwrap(), to.parse::<usize>().unwrap())
                    });
                    let modified = (header::LAST_MODIFIED, "Thu, 26 Nov 2026 12:00:00 GMT");
                    let common = [tag[0].clone(), modified];
                    match range {
                        Some((from, to)) => {
                            let said = format!("bytes {from}-{to}/{}", bytes.len());
                            let part = bytes[from..=to].to_vec();
                            let said = [(header::CONTENT_RANGE, said)];
                            (StatusCode::PARTIAL_CONTENT, common, said, part).into_response()
                        }
                        None => (common, bytes.clone()).into_response(),
                    }
                }
                (Method::HEAD, ..) => match kept.get(&key) {
                    Some(bytes) => {
                        let modified = (header::LAST_MODIFIED, "Thu, 26 Nov 2026 12:00:00 GMT");
                        let size = [(header::CONTENT_LENGTH, bytes.len().to_string())];
                        ([tag[0].clone(), modified], size).into_response()
                    }
                    None => StatusCode::NOT_FOUND.into_response(),
                },
                _ => StatusCode::METHOD_NOT_ALLOWED.into_response(),
            }
        }
    }
}
