//! Clips that come in piece by piece.

use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError, StudioId};

/// Days after which an upload that nobody went on with is forgotten.
const FORGOTTEN: i32 = 7;

/// A clip that is coming in.
#[derive(Debug, Clone, PartialEq, Eq, FromRow)]
pub struct Upload {
    /// Id.
    pub id: Uuid,
    /// The take it is for.
    pub take_id: Uuid,
    /// Which of the take's angles, 1..4.
    pub angle: i16,
    /// As it is called on the coach's machine.
    pub file_name: String,
    /// Size of the whole film.
    pub bytes: i64,
    /// How much has arrived.
    pub received: i64,
    /// Keys of the pieces, in the order of the film.
    pub pieces: Vec<String>,
}

/// A file that is to come in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewUpload {
    /// Which of the take's angles, 1..4.
    pub angle: i16,
    /// As it is called on the coach's machine.
    pub file_name: String,
    /// Its size.
    pub bytes: i64,
    /// When it was last changed, milliseconds since 1970.
    pub changed_at: i64,
}

impl Store {
    /// Begins an upload, or finds the one of the same file that broke off.
    pub async fn begin_upload(
        &self,
        studio: StudioId,
        take: Uuid,
        new: &NewUpload,
    ) -> Result<Upload, StoreError> {
        Ok(sqlx::query_as(
            "insert into upload (id, studio_id, take_id, angle, file_name, bytes, changed_at)
             values ($1, $2, $3, $4, $5, $6, $7)
             on conflict (take_id, angle, file_name, bytes, changed_at) do update set touched_at = now()
             returning *",
        )
        .bind(Uuid::now_v7())
        .bind(studio.0)
        .bind(take)
        .bind(new.angle)
        .bind(&new.file_name)
        .bind(new.bytes)
        .bind(new.changed_at)
        .fetch_one(&self.pool)
        .await?)
    }

    /// Uploads of a take that are not at their end, newest first.
    pub async fn uploads(&self, studio: StudioId, take: Uuid) -> Result<Vec<Upload>, StoreError> {
        Ok(sqlx::query_as(
            "select * from upload where studio_id = $1 and take_id = $2 order by touched_at desc",
        )
        .bind(studio.0)
        .bind(take)
        .fetch_all(&self.pool)
        .await?)
    }

    /// How far an upload is.
    pub async fn upload(&self, studio: StudioId, id: Uuid) -> Result<Upload, StoreError> {
        Ok(
            sqlx::query_as("select * from upload where studio_id = $1 and id = $2")
                .bind(studio.0)
                .bind(id)
                .fetch_one(&self.pool)
                .await?,
        )
    }

    /// Adds a piece that begins where the upload stands; none when it stands elsewhere by now.
    pub async fn add_piece(
        &self,
        studio: StudioId,
        id: Uuid,
        from: i64,
        length: i64,
        key: &str,
    ) -> Result<Option<Upload>, StoreError> {
        Ok(sqlx::query_as(
            "update upload set received = received + $4, pieces = pieces || $5::text, touched_at = now()
             where studio_id = $1 and id = $2 and received = $3 and received + $4 <= bytes
             returning *",
        )
        .bind(studio.0)
        .bind(id)
        .bind(from)
        .bind(length)
        .bind(key)
        .fetch_optional(&self.pool)
        .await?)
    }

    /// Forgets an upload; its pieces are the caller's to remove.
    pub async fn drop_upload(&self, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("delete from upload where id = $1")
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Forgets what nobody went on with for a week and returns it, so that the pieces can be removed.
    pub async fn drop_old_uploads(&self) -> Result<Vec<Upload>, StoreError> {
        Ok(sqlx::query_as(
            "delete from upload where touched_at < now() - make_interval(days => $1) returning *",
        )
        .bind(FORGOTTEN)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A take of the studio whose clip has this content already, other than this angle's own failed one.
    pub async fn same_film(
        &self,
        studio: StudioId,
        original: &str,
    ) -> Result<Option<Uuid>, StoreError> {
        Ok(sqlx::query_scalar(
            "select k.take_id from clip k join take t on t.id = k.take_id and t.binned_at is null
             where k.studio_id = $1 and k.original = $2 and k.state <> 'failed'
             order by k.created_at limit 1",
        )
        .bind(studio.0)
        .bind(original)
        .fetch_optional(&self.pool)
        .await?)
    }
}
