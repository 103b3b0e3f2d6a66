//! The application served on a port of its own, with a database and a folder of its own.

use std::path::{Path, PathBuf};

use anyhow::anyhow;
use tokio::net::TcpListener;
use upright_server::auth::hash_password;
use upright_server::film::film;
use upright_server::{App, Parts};
use upright_store::{
    Blobs, ClipState, CoupleInput, NewAccount, NewClip, NewTake, PersonInput, StudioId, testing,
};
use upright_studio::Performance;
use uuid::Uuid;

/// Password of the coach.
pub const PASSWORD: &str = "a quiet rehearsal room";

/// A served application with one empty studio.
pub struct House {
    /// Address.
    pub url: String,
    /// The application.
    pub app: App,
    /// The studio.
    pub studio: StudioId,
    /// Folder of the test.
    pub folder: tempfile::TempDir,
}

impl House {
    /// Opens it.
    pub async fn open() -> anyhow::Result<Self> {
        let folder = tempfile::tempdir()?;
        let store = testing::database().await;
        let hash = hash_password(PASSWORD).map_err(|p| anyhow!(p.detail))?;
        let account = NewAccount {
            email: "coach@hall.example",
            name: "Coach",
            password_hash: &hash,
        };
        let (studio, _) = store.create_studio("Quiet Hall", None, account).await?;
        let app = App::new(Parts {
            store,
            blobs: Blobs::in_folder(&folder.path().join("blobs"))?,
            incoming: folder.path().join("incoming"),
            models: Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models/files"),
            web: Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/dist"),
            demo: None,
            most_clip: None,
            reach: upright_server::Reach::default(),
        });
        let listener = TcpListener::bind("127.0.0.1:0").await?;
        let url = format!("http://{}", listener.local_addr()?);
        tokio::spawn(upright_server::serve(
            listener,
            app.clone(),
            std::future::pending(),
        ));
        Ok(Self {
            url,
            app,
            studio,
            folder,
        })
    }
}

impl House {
    /// Two people 1.70 m tall and their couple.
    pub async fn couple(&self, names: [&str; 2]) -> anyhow::Result<Uuid> {
        let store = self.app.store();
        let mut ids = Vec::new();
        for name in names {
            let person = PersonInput {
                name: name.into(),
                height: 1.7,
                note: String::new(),
                consent: true,
            };
            ids.push(store.create_person(self.studio, &person).await?.id);
        }
        let pair = CoupleInput {
            leader_id: ids[0],
            follower_id: ids[1],
            frame_limit: None,
        };
        Ok(store.create_couple(self.studio, &pair).await?.id)
    }

    /// A take of which no film is kept, with its frame times in microseconds.
    pub async fn take_without_film(
        &self,
        couple_id: Uuid,
        held_on: jiff::civil::Date,
        frame_times: Vec<i64>,
    ) -> anyhow::Result<Uuid> {
        let new = NewTake {
            couple_id,
            held_on,
            place: "Quiet Hall".into(),
            floor: String::new(),
            shoes: String::new(),
        };
        let take = self.app.store().create_take(self.studio, &new).await?.id;
        let clip = NewClip {
            angle: 1,
            offset_us: 0,
            state: ClipState::NotKept,
            file_name: "practice.mp4".into(),
            bytes: 0,
            original: None,
            size: [1280, 720],
            frame_times,
        };
        self.app.store().add_clip(self.studio, take, &clip).await?;
        Ok(take)
    }
}

impl House {
    /// A take with its film, prepared for stepping.
    pub async fn take_with_film(
        &self,
        couple_id: Uuid,
        held_on: jiff::civil::Date,
        performance: &Performance,
    ) -> anyhow::Result<Uuid> {
        let file = simulated_clip(performance, self.folder.path()).await?;
        self.take_with_clip(couple_id, held_on, &file).await
    }

    /// A take with a film of any kind, prepared for stepping.
    pub async fn take_with_clip(
        &self,
        couple_id: Uuid,
        held_on: jiff::civil::Date,
        file: &Path,
    ) -> anyhow::Result<Uuid> {
        let take = self
            .take_without_film(couple_id, held_on, Vec::new())
            .await?;
        let key = format!("original/{take}");
        self.app.blobs().put_file(&key, file).await?;
        let store = self.app.store();
        let clip = store.clip(self.studio, take).await?;
        let mut clip = clip.ok_or_else(|| anyhow!("no clip"))?;
        clip.original = Some(key);
        upright_server::intake::prepare(&self.app, &clip, &upright_server::jobs::Told::nobody())
            .await
            .map_err(|p| anyhow!(p.detail))?;
        Ok(take)
    }
}

/// Films a performance into a folder.
pub async fn simulated_clip(performance: &Performance, folder: &Path) -> anyhow::Result<PathBuf> {
    let clip = folder.join("practice.mp4");
    film(performance, 0, &clip, |_| ()).await?;
    Ok(clip)
}
