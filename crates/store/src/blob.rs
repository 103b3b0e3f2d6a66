//! Files by their content, through an object store: a local folder by default.

use std::path::Path as FilePath;
use std::sync::Arc;

use bytes::Bytes;
use futures::{StreamExt as _, TryStreamExt as _, stream::BoxStream};
use object_store::local::LocalFileSystem;
use object_store::path::Path;
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
        let mut from = self.store.get(&Path::from(key)).await?.into_stream();
        let mut to = tokio::fs::File::create(file).await?;
        while let Some(piece) = from.try_next().await? {
            to.write_all(&piece).await?;
        }
        to.flush().await?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn files_come_back_whole_and_in_parts() {
        let dir = tempfile::tempdir().unwrap();
        let blobs = Blobs::in_folder(&dir.path().join("blobs")).unwrap();
        let file = dir.path().join("in");
        let bytes: Vec<u8> = (0..700_000u32).map(|i| (i % 251) as u8).collect();
        std::fs::write(&file, &bytes).unwrap();
        blobs.put_file("original/abc", &file).await.unwrap();
        assert_eq!(blobs.size("original/abc").await.unwrap(), 700_000);
        let out = dir.path().join("out");
        blobs.fetch("original/abc", &out).await.unwrap();
        assert_eq!(std::fs::read(&out).unwrap(), bytes);
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
}
