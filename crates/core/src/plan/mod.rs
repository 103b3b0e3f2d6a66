//! When to look again, what to practise in a week, and how a lesson goes.

mod lesson;
mod look;
mod week;

pub use lesson::{Block, Doing, Lesson, LessonError, Pair, Task, lesson};
pub use look::{next_look, settle};
pub use week::{
    Day, Done, Exercise, How, Piece, Rung, Side, Waiting, Week, Why, Wishes, first, standing, week,
};
