//! Small convolutional networks, read from the files they come in and run on the processor.
//!
//! Values are rows of pixels of channels (height × width × channels), 32-bit floats, one picture at a
//! time. Only the operators that the pose networks need exist; a file with another one is refused when
//! it is read, never when it runs.

mod kernel;
pub mod tfjs;
pub mod tflite;

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

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
        panels: Vec<kernel::Panel>,
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
#[derive(Debug)]
pub struct Net {
    nodes: Vec<Node>,
    input: usize,
    shape: Shape,
    outputs: Vec<usize>,
    /// The node after which a value is not needed any more.
    last_use: Vec<usize>,
    values: usize,
    /// What nobody runs with now.
    idle: Mutex<Vec<Scratch>>,
}

/// A value of a network.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Value {
    /// Height, width and channels.
    pub shape: Shape,
    /// Row by row, pixel by pixel, channel by channel.
    pub data: Vec<f32>,
}

/// Buffers that are used again from run to run: fresh memory costs as much as the arithmetic.
#[derive(Debug, Default)]
struct Scratch {
    free: Vec<Vec<f32>>,
    columns: Vec<f32>,
}

impl Scratch {
    /// So many numbers, whichever they are. Those of another length are not cut to it: making them longer again would
    /// clear them.
    fn buffer(&mut self, length: usize) -> Vec<f32> {
        match self.free.iter().rposition(|b| b.len() == length) {
            Some(same) => self.free.remove(same),
            None => vec![0.0; length],
        }
    }
}

/// Zeros about a picture belong to the window that moves over it: written out they would be all of the picture once
/// more.
fn fold(nodes: &mut Vec<Node>, outputs: &[usize]) {
    let mut zeros = HashMap::new();
    for node in nodes.iter() {
        if let (Op::Pad([rows, columns, [0, 0]]), [from]) = (&node.op, &node.inputs[..]) {
            zeros.insert(node.output, (*from, [*rows, *columns]));
        }
    }
    zeros.retain(|value, _| {
        let bare =
            |node: &mut Node| window(&mut node.op).is_some_and(|w| w.padding == Padding::Valid);
        let mut users = nodes.iter_mut().filter(|n| n.inputs.contains(value));
        !outputs.contains(value) && users.all(bare)
    });
    nodes.retain(|n| !zeros.contains_key(&n.output));
    for node in nodes {
        let about = node.inputs.first().and_then(|i| zeros.get(i));
        if let (Some((from, about)), Some(window)) = (about, window(&mut node.op)) {
            window.padding = Padding::Zeros(*about);
            node.inputs[0] = *from;
        }
    }
}

/// The window of a sum over what lies under it.
fn window(op: &mut Op) -> Option<&mut Window> {
    match op {
        Op::Conv { window, .. } | Op::Depthwise { window, .. } => Some(window),
        _ => None,
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
        fold(&mut kept, &outputs);
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
            idle: Mutex::default(),
        }
    }

    /// Height, width and channels of the picture it takes.
    pub fn shape(&self) -> Shape {
        self.shape
    }

    /// Runs the network; gives its outputs in the order in which they were asked for. Threads may run it at once.
    pub fn run(&self, picture: &[f32]) -> Result<Vec<Value>, NetError> {
        let idle = || self.idle.lock().unwrap_or_else(PoisonError::into_inner);
        let mut scratch = idle().pop().unwrap_or_default();
        let made = self.run_with(picture, &mut scratch);
        idle().push(scratch);
        made
    }

    fn run_with(&self, picture: &[f32], scratch: &mut Scratch) -> Result<Vec<Value>, NetError> {
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
        let mut made = |o| {
            values
                .remove(o)
                .ok_or_else(|| wrong("an output is never made"))
        };
        self.outputs.iter().map(&mut made).collect()
    }
}

#[cfg(test)]
mod tests {
    use rayon::prelude::*;

    use super::*;

    /// Zeros about a picture, then sums over two by two pixels of it.
    fn padded(outputs: Vec<usize>) -> Net {
        let window = Window {
            kernel: [2, 2],
            stride: [1, 2],
            padding: Padding::Valid,
        };
        let sums = Op::Conv {
            window,
            panels: panels(&[1.0; 4], 1),
            bias: vec![0.5],
            then: Activation::None,
        };
        let node = |op, from, output| Node {
            op,
            inputs: vec![from],
            output,
        };
        let nodes = vec![
            node(Op::Pad([[1, 0], [0, 1], [0, 0]]), 0, 1),
            node(sums, 1, 2),
        ];
        Net::new(nodes, (0, [2, 3, 1]), outputs, 3)
    }

    #[test]
    fn zeros_about_a_picture_go_into_the_window_that_takes_them() {
        let (alone, kept) = (padded(vec![2]), padded(vec![2, 1]));
        assert_eq!((alone.nodes.len(), kept.nodes.len()), (1, 2));
        let picture = [1.0, 2.0, 3.0, 4.0, 5.0, 6.0];
        let made = alone.run(&picture).unwrap();
        assert_eq!(made[0].shape, [2, 2, 1]);
        assert_eq!(made[0].data, [3.5, 3.5, 12.5, 9.5]);
        let both = kept.run(&picture).unwrap();
        assert_eq!(both[0], made[0]);
        assert_eq!(both[1].shape, [3, 4, 1]);
        assert_eq!(
            both[1].data,
            [0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 0.0, 4.0, 5.0, 6.0, 0.0]
        );
        // What was in a buffer before does not show, whoever had it.
        let again = (0..64).into_par_iter().map(|_| kept.run(&picture).unwrap());
        assert!(again.collect::<Vec<_>>().iter().all(|made| *made == both));
        assert!(alone.run(&picture[1..]).is_err());
    }
}
