//! Why a job has no plan.

/// Why there is no plan. Each message says what to do.
#[derive(Debug, thiserror::Error)]
pub enum JobError {
    /// The file gave no model.
    #[error(transparent)]
    Read(#[from] intake::ReadError),
    /// The model is no part.
    #[error(transparent)]
    Part(#[from] part::PartError),
    /// Shop or its names.
    #[error(transparent)]
    Shop(#[from] shop::ShopError),
    /// Stock sizes.
    #[error(transparent)]
    Hold(#[from] holding::HoldError),
    /// Somebody stopped the work.
    #[error("the work was stopped; nothing of it is kept")]
    Stopped,
    /// Faults are tried on a plan that passes.
    #[error("the plan itself is not proved: mend what its proof stops at first")]
    NotProved,
    /// The control has no words for what a path does.
    #[error("{0}. Change how that is made, or what the control has (Shop, Controls)")]
    Post(#[from] program::PostError),
    /// A program cannot be followed.
    #[error("{program}: {error}")]
    Program {
        /// File.
        program: String,
        /// Why.
        error: program::ReadError,
    },
}
