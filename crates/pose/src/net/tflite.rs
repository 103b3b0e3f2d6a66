//! Networks in the TensorFlow Lite container, a FlatBuffer: a table is reached by an offset, and its
//! fields by the offsets of its table of fields. Field numbers are those of the published schema.

use std::collections::HashMap;

use half::f16;

use super::{Activation, Net, NetError, Node, Op, Padding, Window, panels};

/// Bytes with checked access.
#[derive(Clone, Copy)]
struct Bytes<'a>(&'a [u8]);

fn short() -> NetError {
    NetError::Damaged("it ends too early".into())
}

impl<'a> Bytes<'a> {
    fn array<const N: usize>(self, at: usize) -> Result<[u8; N], NetError> {
        self.0
            .get(at..at.saturating_add(N))
            .and_then(|b| b.try_into().ok())
            .ok_or_else(short)
    }

    fn u32(self, at: usize) -> Result<usize, NetError> {
        Ok(u32::from_le_bytes(self.array(at)?) as usize)
    }

    /// What an offset points at.
    fn follow(self, at: usize) -> Result<usize, NetError> {
        Ok(at + self.u32(at)?)
    }
}

#[derive(Clone, Copy)]
struct Table<'a> {
    bytes: Bytes<'a>,
    at: usize,
}

impl<'a> Table<'a> {
    /// Where a field lies, unless it has its default.
    fn field(self, number: usize) -> Result<Option<usize>, NetError> {
        let back = i32::from_le_bytes(self.bytes.array(self.at)?);
        let fields = usize::try_from(self.at as i64 - i64::from(back)).map_err(|_| short())?;
        let size = u16::from_le_bytes(self.bytes.array(fields)?) as usize;
        let entry = 4 + 2 * number;
        if entry + 2 > size {
            return Ok(None);
        }
        let offset = u16::from_le_bytes(self.bytes.array(fields + entry)?) as usize;
        Ok((offset != 0).then_some(self.at + offset))
    }

    fn int(self, number: usize, default: i32) -> Result<i32, NetError> {
        self.field(number)?.map_or(Ok(default), |at| {
            Ok(i32::from_le_bytes(self.bytes.array(at)?))
        })
    }

    fn byte(self, number: usize) -> Result<u8, NetError> {
        self.field(number)?
            .map_or(Ok(0), |at| Ok(self.bytes.array::<1>(at)?[0]))
    }

    fn table(self, number: usize) -> Result<Option<Self>, NetError> {
        self.field(number)?
            .map(|at| {
                Ok(Self {
                    bytes: self.bytes,
                    at: self.bytes.follow(at)?,
                })
            })
            .transpose()
    }

    /// First byte and length of a vector.
    fn vector(self, number: usize) -> Result<(usize, usize), NetError> {
        let Some(at) = self.field(number)? else {
            return Ok((0, 0));
        };
        let at = self.bytes.follow(at)?;
        Ok((at + 4, self.bytes.u32(at)?))
    }

    fn tables(self, number: usize) -> Result<Vec<Self>, NetError> {
        let (at, n) = self.vector(number)?;
        (0..n)
            .map(|i| {
                Ok(Self {
                    bytes: self.bytes,
                    at: self.bytes.follow(at + 4 * i)?,
                })
            })
            .collect()
    }

    fn ints(self, number: usize) -> Result<Vec<i32>, NetError> {
        let (at, n) = self.vector(number)?;
        (0..n)
            .map(|i| Ok(i32::from_le_bytes(self.bytes.array(at + 4 * i)?)))
            .collect()
    }

    fn raw(self, number: usize) -> Result<&'a [u8], NetError> {
        let (at, n) = self.vector(number)?;
        self.bytes.0.get(at..at + n).ok_or_else(short)
    }
}

/// A value of the file.
struct Tensor<'a> {
    shape: Vec<usize>,
    half: bool,
    name: String,
    data: &'a [u8],
}

impl Tensor<'_> {
    fn floats(&self) -> Vec<f32> {
        if self.half {
            self.data
                .chunks_exact(2)
                .map(|b| f16::from_le_bytes([b[0], b[1]]).to_f32())
                .collect()
        } else {
            self.data
                .chunks_exact(4)
                .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
                .collect()
        }
    }

    fn ints(&self) -> Vec<usize> {
        self.data
            .chunks_exact(4)
            .map(|b| i32::from_le_bytes([b[0], b[1], b[2], b[3]]).max(0) as usize)
            .collect()
    }
}

fn activation(code: u8) -> Result<Activation, NetError> {
    match code {
        0 => Ok(Activation::None),
        1 => Ok(Activation::Relu),
        3 => Ok(Activation::Relu6),
        other => Err(NetError::Unknown(format!("activation {other}"))),
    }
}

/// Padding, strides down and right; fields of the options of every window.
fn window(options: Table<'_>, kernel: [usize; 2]) -> Result<Window, NetError> {
    let size = |n: usize| -> Result<usize, NetError> {
        usize::try_from(options.int(n, 0)?)
            .ok()
            .filter(|s| *s > 0)
            .ok_or_else(|| NetError::Damaged("a stride of nothing".into()))
    };
    Ok(Window {
        kernel,
        stride: [size(2)?, size(1)?],
        padding: if options.byte(0)? == 0 {
            Padding::Same
        } else {
            Padding::Valid
        },
    })
}

/// Reads a network that ends in the named outputs.
pub fn read(file: &[u8], outputs: &[&str]) -> Result<Net, NetError> {
    let bytes = Bytes(file);
    if file.get(4..8) != Some(b"TFL3") {
        return Err(NetError::Damaged("it is not a TensorFlow Lite file".into()));
    }
    let model = Table {
        bytes,
        at: bytes.follow(0)?,
    };
    let mut codes = Vec::new();
    for t in model.tables(1)? {
        codes.push(i32::from(t.byte(0)?).max(t.int(3, 0)?));
    }
    let buffers = model.tables(4)?;
    let graph = *model
        .tables(2)?
        .first()
        .ok_or_else(|| NetError::Damaged("it holds no network".into()))?;
    let mut tensors = Vec::new();
    for t in graph.tables(0)? {
        let buffer = buffers.get(t.int(2, 0)? as usize).ok_or_else(short)?;
        tensors.push(Tensor {
            shape: t.ints(0)?.iter().map(|s| (*s).max(0) as usize).collect(),
            half: t.byte(1)? == 1,
            name: String::from_utf8_lossy(t.raw(3)?).into_owned(),
            data: buffer.raw(0)?,
        });
    }
    let tensor = |i: i32| {
        usize::try_from(i)
            .ok()
            .and_then(|i| tensors.get(i))
            .ok_or_else(short)
    };
    // Constants under the name of what is made of them.
    let mut same: HashMap<i32, i32> = HashMap::new();
    let mut nodes = Vec::new();
    for o in graph.tables(3)? {
        let code = *codes.get(o.int(0, 0)? as usize).ok_or_else(short)?;
        let (inputs, made) = (o.ints(1)?, o.ints(2)?);
        let input = |k: usize| inputs.get(k).copied().ok_or_else(short);
        let output = *made.first().ok_or_else(short)?;
        let constant = |k: usize| -> Result<&Tensor<'_>, NetError> {
            let i = input(k)?;
            tensor(*same.get(&i).unwrap_or(&i))
        };
        let options = || o.table(4)?.ok_or_else(short);
        let kernel = |t: &Tensor<'_>| match t.shape[..] {
            [_, h, w, _] => Ok([h, w]),
            _ => Err(NetError::Damaged(
                "a kernel without height and width".into(),
            )),
        };
        let mut arms = 1;
        let op = match code {
            // ADD
            0 => {
                arms = 2;
                Op::Add(activation(options()?.byte(0)?)?)
            }
            // CONV_2D, weights by output, row, column, input
            3 => {
                let (t, options) = (constant(1)?, options()?);
                let (w, bias) = (t.floats(), constant(2)?.floats());
                let (co, deep) = (bias.len(), w.len() / bias.len().max(1));
                if options.int(4, 1)? != 1 || options.int(5, 1)? != 1 {
                    return Err(NetError::Unknown("a dilated convolution".into()));
                }
                let mut weights = vec![0.0; w.len()];
                for (o, row) in w.chunks_exact(deep.max(1)).enumerate() {
                    for (k, v) in row.iter().enumerate() {
                        weights[k * co + o] = *v;
                    }
                }
                Op::Conv {
                    window: window(options, kernel(t)?)?,
                    panels: panels(&weights, co),
                    bias,
                    then: activation(options.byte(3)?)?,
                }
            }
            // DEPTHWISE_CONV_2D
            4 => {
                let (t, options) = (constant(1)?, options()?);
                if options.int(3, 1)? != 1 {
                    return Err(NetError::Unknown("a depth multiplier".into()));
                }
                Op::Depthwise {
                    window: window(options, kernel(t)?)?,
                    weights: t.floats(),
                    bias: constant(2)?.floats(),
                    then: activation(options.byte(4)?)?,
                }
            }
            // DEQUANTIZE, of constants only
            6 => {
                if constant(0)?.data.is_empty() {
                    return Err(NetError::Unknown("DEQUANTIZE of a value".into()));
                }
                same.insert(output, input(0)?);
                continue;
            }
            14 => Op::Logistic,
            // MAX_POOL_2D
            17 => {
                let options = options()?;
                let size = |n| Ok::<_, NetError>(options.int(n, 1)?.max(1) as usize);
                Op::MaxPool(window(options, [size(4)?, size(3)?])?)
            }
            // RESHAPE
            22 => {
                let shape = &tensor(output)?.shape;
                Op::Reshape(match shape[..] {
                    [_, h, w, c] => [h, w, c],
                    [_, c] => [1, 1, c],
                    _ => [1, 1, shape.iter().product()],
                })
            }
            // RESIZE_BILINEAR
            23 => {
                let options = options()?;
                if options.byte(2)? != 0 || options.byte(3)? == 0 {
                    return Err(NetError::Unknown("a resize by corners".into()));
                }
                match constant(1)?.ints()[..] {
                    [h, w] => Op::Resize([h, w]),
                    _ => return Err(NetError::Damaged("a resize to no size".into())),
                }
            }
            // PAD
            34 => match constant(1)?.ints()[..] {
                [0, 0, a, b, c, d, e, f] => Op::Pad([[a, b], [c, d], [e, f]]),
                _ => return Err(NetError::Unknown("padding of a batch".into())),
            },
            other => return Err(NetError::Unknown(format!("operator {other}"))),
        };
        let mut sources = Vec::new();
        for k in 0..arms {
            let i = input(k)?;
            tensor(i)?;
            sources.push(i as usize);
        }
        tensor(output)?;
        nodes.push(Node {
            op,
            inputs: sources,
            output: output as usize,
        });
    }
    let first = *graph.ints(1)?.first().ok_or_else(short)?;
    let shape = match tensor(first)?.shape[..] {
        [1, h, w, c] => [h, w, c],
        _ => return Err(NetError::Unknown("an input that is not one picture".into())),
    };
    let mut ends = Vec::new();
    for name in outputs {
        let found = graph
            .ints(2)?
            .into_iter()
            .find(|i| tensor(*i).is_ok_and(|t| t.name == *name));
        ends.push(
            found.ok_or_else(|| NetError::Damaged(format!("it has no output “{name}”")))? as usize,
        );
    }
    Ok(Net::new(
        nodes,
        (first as usize, shape),
        ends,
        tensors.len(),
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_that_is_something_else_or_cut_short_is_refused() {
        assert!(matches!(read(b"", &[]), Err(NetError::Damaged(_))));
        assert!(matches!(
            read(b"RIFF....WAVEfmt ", &[]),
            Err(NetError::Damaged(_))
        ));
        for offset in [0_u32, 8, 12, 4_000_000_000] {
            let mut file = offset.to_le_bytes().to_vec();
            file.extend(b"TFL3");
            file.extend([0xff; 16]);
            assert!(read(&file, &["Identity"]).is_err(), "{offset}");
        }
    }
}
