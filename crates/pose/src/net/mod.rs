//! Small convolutional networks, read from the files they come in and run on the processor.
//!
//! Values are rows of pixels of channels (height × width × channels), 32-bit floats, one picture at a
//! time. Only the operators that the pose networks need exist; a file with another one is refused when
//! it is read, never when it runs.

mod kernel;
pub mod tfjs;
pub mod tflite;

use std::collections::HashMap;

pub(crate) use kernel::{Activation, Padding, Window, panels};

/// Why a network cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum NetError {
    /// The file is not what its name says.
    #[error("The model file is damaged: {0}. Install the models again with scripts/install.sh.")]
    Damaged(String),
    /// Something that is not built here.
    #[error(
        "The model needs “{0}”, which this program cannot do. Install the version of the models it was built for."
    )]
    Unknown(String),
    /// Reading failed.
    #[error(
        "The model file {path} cannot be read: {error}. Install the models with scripts/install.sh."
    )]
    Missing {
        /// The file.
        path: String,
        /// What the system said.
        error: std::io::Error,
    },
}

/// Height, width and channels.
pub type Shape = [usize; 3];

/// One operator; weights are laid out for use when the file is read.
#[derive(Debug, Clone)]
pub(crate) enum Op {
    /// Weights by kernel row, kernel column, input channel, output channel, in [`kernel::panels`].
    Conv {
        window: Window,
        panels: Vec<[f32; kernel::PANEL]>,
        bias: Vec<f32>,
        then: Activation,
    },
    /// Weights by kernel row, kernel column, channel.
    Depthwise {
        window: Window,
        weights: Vec<f32>,
        bias: Vec<f32>,
        then: Activation,
    },
    Add(Activation),
    /// To this height and width, half-pixel centres.
    Resize([usize; 2]),
    MaxPool(Window),
    /// Zeros before and after rows, columns, channels.
    Pad([[usize; 2]; 3]),
    Reshape(Shape),
    Logistic,
}

#[derive(Debug, Clone)]
pub(crate) struct Node {
    pub op: Op,
    pub inputs: Vec<usize>,
    pub output: usize,
}

/// A network with its weights.
#[derive(Debug, Clone)]
pub struct Net {
    nodes: Vec<Node>,
    input: usize,
    shape: Shape,
    outputs: Vec<usize>,
    /// The node after which a value is not needed any more.
    last_use: Vec<usize>,
    values: usize,
}

/// A value of a network.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Value {
    /// Height, width and channels.
    pub shape: Shape,
    /// Row by row, pixel by pixel, channel by channel.
    pub data: Vec<f32>,
}

/// Buffers that a thread uses again from run to run: fresh memory costs as much as the arithmetic.
#[derive(Debug, Default)]
pub struct Scratch {
    free: Vec<Vec<f32>>,
    columns: Vec<f32>,
}

impl Scratch {
    fn buffer(&mut self, length: usize) -> Vec<f32> {
        let best = self
            .free
            .iter()
            .enumerate()
            .filter(|(_, b)| b.capacity() >= length)
            .min_by_key(|(_, b)| b.capacity())
            .map(|(i, _)| i);
        let mut b = best.map_or_else(Vec::new, |i| self.free.swap_remove(i));
        b.clear();
        b.resize(length, 0.0);
        b
    }
}

impl Net {
    /// A network that ends in `outputs`; nodes that lead to none of them are left out.
    pub(crate) fn new(
        nodes: Vec<Node>,
        (input, shape): (usize, Shape),
        outputs: Vec<usize>,
        values: usize,
    ) -> Self {
        let mut wanted = vec![false; values];
        for o in &outputs {
            wanted[*o] = true;
        }
        let mut kept: Vec<Node> = Vec::new();
        for node in nodes.into_iter().rev() {
            if wanted[node.output] {
                for i in &node.inputs {
                    wanted[*i] = true;
                }
                kept.push(node);
            }
        }
        kept.reverse();
        let mut last_use = vec![0; values];
        for (k, node) in kept.iter().enumerate() {
            for i in &node.inputs {
                last_use[*i] = k;
            }
        }
        for o in &outputs {
            last_use[*o] = usize::MAX;
        }
        Self {
            nodes: kept,
            input,
            shape,
            outputs,
            last_use,
            values,
        }
    }

    /// Height, width and channels of the picture it takes.
    pub fn shape(&self) -> Shape {
        self.shape
    }

    /// Runs the network; gives its outputs in the order in which they were asked for.
    pub fn run(&self, picture: &[f32], scratch: &mut Scratch) -> Result<Vec<Value>, NetError> {
        let wrong = |what: &str| NetError::Damaged(what.to_owned());
        if picture.len() != self.shape.iter().product::<usize>() {
            return Err(wrong("the picture has another size than the network takes"));
        }
        let mut values: HashMap<usize, Value> = HashMap::with_capacity(self.values);
        let mut first = scratch.buffer(picture.len());
        first.copy_from_slice(picture);
        values.insert(
            self.input,
            Value {
                shape: self.shape,
                data: first,
            },
        );
        for (k, node) in self.nodes.iter().enumerate() {
            let mut inputs = Vec::with_capacity(2);
            for i in &node.inputs {
                inputs.push(
                    values
                        .get(i)
                        .ok_or_else(|| wrong("a value is used before it is made"))?,
                );
            }
            let made = kernel::apply(&node.op, &inputs, scratch)?;
            values.insert(node.output, made);
            for i in &node.inputs {
                if self.last_use[*i] == k
                    && let Some(old) = values.remove(i)
                {
                    scratch.free.push(old.data);
                }
            }
        }
        self.outputs
            .iter()
            .map(|o| {
                values
                    .get(o)
                    .cloned()
                    .ok_or_else(|| wrong("an output is never made"))
            })
            .collect()
    }
}
