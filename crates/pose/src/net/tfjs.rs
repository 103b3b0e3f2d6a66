//! Networks in the TensorFlow.js container: a graph as JSON, and its weights one after the other.

use std::collections::HashMap;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use half::f16;
use serde::Deserialize;

use super::{Activation, Net, NetError, Node, Op, Padding, Shape, Window, panels};

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct File {
    model_topology: Topology,
    weights_manifest: Vec<Group>,
}

#[derive(Deserialize)]
struct Topology {
    node: Vec<Written>,
}

#[derive(Deserialize)]
struct Written {
    name: String,
    op: String,
    #[serde(default)]
    input: Vec<String>,
    #[serde(default)]
    attr: HashMap<String, Attribute>,
}

#[derive(Deserialize, Default)]
struct Attribute {
    s: Option<String>,
    b: Option<bool>,
    list: Option<List>,
}

#[derive(Deserialize, Default)]
struct List {
    #[serde(default)]
    s: Vec<String>,
    #[serde(default)]
    i: Vec<String>,
}

#[derive(Deserialize)]
struct Group {
    weights: Vec<Weight>,
}

#[derive(Deserialize)]
struct Weight {
    name: String,
    shape: Vec<usize>,
    dtype: String,
    quantization: Option<Quantization>,
}

#[derive(Deserialize)]
struct Quantization {
    dtype: String,
}

fn text(written: &str) -> String {
    STANDARD.decode(written).map_or_else(
        |_| String::new(),
        |b| String::from_utf8_lossy(&b).into_owned(),
    )
}

impl Written {
    fn word(&self, key: &str) -> String {
        self.attr
            .get(key)
            .and_then(|a| a.s.as_deref())
            .map(text)
            .unwrap_or_default()
    }

    fn sizes(&self, key: &str) -> Option<[usize; 2]> {
        match self.attr.get(key)?.list.as_ref()?.i[..] {
            [_, ref h, ref w, _] => Some([h.parse().ok()?, w.parse().ok()?]),
            _ => None,
        }
    }

    fn window(&self, kernel: [usize; 2]) -> Result<Window, NetError> {
        if self.sizes("dilations").is_some_and(|d| d != [1, 1]) {
            return Err(NetError::Unknown("a dilated convolution".into()));
        }
        Ok(Window {
            kernel,
            stride: self
                .sizes("strides")
                .filter(|s| s.iter().all(|s| *s > 0))
                .ok_or_else(|| NetError::Damaged(format!("“{}” has no strides", self.name)))?,
            padding: match self.word("padding").as_str() {
                "SAME" => Padding::Same,
                "VALID" => Padding::Valid,
                other => return Err(NetError::Unknown(format!("padding {other}"))),
            },
        })
    }

    /// What follows it: a bias and an activation were merged into it.
    fn then(&self) -> Result<Activation, NetError> {
        let fused: Vec<String> = self
            .attr
            .get("fused_ops")
            .and_then(|a| a.list.as_ref())
            .map(|l| l.s.iter().map(|s| text(s)).collect())
            .unwrap_or_default();
        match fused.iter().map(String::as_str).collect::<Vec<_>>()[..] {
            [] | ["BiasAdd"] => Ok(Activation::None),
            ["BiasAdd", "Relu"] => Ok(Activation::Relu),
            ["BiasAdd", "Relu6"] => Ok(Activation::Relu6),
            _ => Err(NetError::Unknown(format!("{fused:?}"))),
        }
    }
}

struct Constant {
    shape: Vec<usize>,
    floats: Vec<f32>,
}

fn constants(groups: &[Group], data: &[u8]) -> Result<HashMap<String, Constant>, NetError> {
    let mut out = HashMap::new();
    let mut at = 0;
    for w in groups.iter().flat_map(|g| &g.weights) {
        let count: usize = w.shape.iter().product();
        let kind = w
            .quantization
            .as_ref()
            .map_or(w.dtype.as_str(), |q| &q.dtype);
        let size = match kind {
            "float16" => 2,
            "float32" | "int32" => 4,
            other => return Err(NetError::Unknown(format!("weights of {other}"))),
        };
        let bytes = data
            .get(at..at + size * count)
            .ok_or_else(|| NetError::Damaged("the weights end too early".into()))?;
        at += size * count;
        let floats = match kind {
            "float16" => bytes
                .chunks_exact(2)
                .map(|b| f16::from_le_bytes([b[0], b[1]]).to_f32())
                .collect(),
            "float32" => bytes
                .chunks_exact(4)
                .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
                .collect(),
            _ => Vec::new(),
        };
        out.insert(
            w.name.clone(),
            Constant {
                shape: w.shape.clone(),
                floats,
            },
        );
    }
    Ok(out)
}

/// Reads the part of a network between the node `from`, which takes a picture of `shape`, and the nodes
/// whose names begin with one of `outputs` and end in a bias.
pub fn read(
    graph: &[u8],
    weights: &[u8],
    (from, shape): (&str, Shape),
    outputs: &[&str],
) -> Result<Net, NetError> {
    let file: File = serde_json::from_slice(graph).map_err(|e| NetError::Damaged(e.to_string()))?;
    let constants = constants(&file.weights_manifest, weights)?;
    let written: HashMap<&str, &Written> = file
        .model_topology
        .node
        .iter()
        .map(|n| (n.name.as_str(), n))
        .collect();
    let mut reader = Reader {
        written: &written,
        constants: &constants,
        numbers: HashMap::from([(from.to_owned(), 0)]),
        shapes: vec![shape],
        nodes: Vec::new(),
    };
    let mut ends = Vec::new();
    for prefix in outputs {
        let end = file
            .model_topology
            .node
            .iter()
            .find(|n| {
                n.name.starts_with(prefix) && n.name.ends_with("/BiasAdd") && n.op == "_FusedConv2D"
            })
            .ok_or_else(|| NetError::Damaged(format!("it has no output “{prefix}”")))?;
        ends.push(reader.value(&end.name, 0)?);
    }
    let count = reader.shapes.len();
    Ok(Net::new(reader.nodes, (0, shape), ends, count))
}

struct Reader<'a> {
    written: &'a HashMap<&'a str, &'a Written>,
    constants: &'a HashMap<String, Constant>,
    numbers: HashMap<String, usize>,
    shapes: Vec<Shape>,
    nodes: Vec<Node>,
}

/// Deeper than any network here: a graph that leads back to itself ends.
const DEEPEST: usize = 500;

impl Reader<'_> {
    /// The number of a node's value, with all that leads to it.
    fn value(&mut self, name: &str, depth: usize) -> Result<usize, NetError> {
        if let Some(n) = self.numbers.get(name) {
            return Ok(*n);
        }
        let node = *self
            .written
            .get(name)
            .filter(|_| depth < DEEPEST)
            .ok_or_else(|| NetError::Damaged(format!("“{name}” leads nowhere")))?;
        let input = |k: usize| {
            node.input
                .get(k)
                .ok_or_else(|| NetError::Damaged(format!("“{name}” has no input {k}")))
        };
        let constants = self.constants;
        let constant = |k: usize| {
            constants
                .get(input(k)?)
                .ok_or_else(|| NetError::Damaged(format!("“{name}” has no weights")))
        };
        let first = self.value(input(0)?, depth + 1)?;
        let mut inputs = vec![first];
        let before = self.shapes[first];
        let op = match node.op.as_str() {
            "_FusedConv2D" => {
                let (w, bias) = (constant(1)?, constant(2)?);
                let [h, wide, ci, co] = w.shape[..] else {
                    return Err(NetError::Damaged(format!("“{name}” has another kernel")));
                };
                if ci != before[2] || co != bias.floats.len() {
                    return Err(NetError::Damaged(format!(
                        "“{name}” does not fit its input"
                    )));
                }
                Op::Conv {
                    window: node.window([h, wide])?,
                    panels: panels(&w.floats, co),
                    bias: bias.floats.clone(),
                    then: node.then()?,
                }
            }
            "FusedDepthwiseConv2dNative" | "DepthwiseConv2dNative" => {
                let w = constant(1)?;
                let [h, wide, ci, 1] = w.shape[..] else {
                    return Err(NetError::Unknown("a depth multiplier".into()));
                };
                let bias = if node.op == "DepthwiseConv2dNative" {
                    vec![0.0; ci]
                } else {
                    constant(2)?.floats.clone()
                };
                Op::Depthwise {
                    window: node.window([h, wide])?,
                    weights: w.floats.clone(),
                    bias,
                    then: node.then()?,
                }
            }
            "AddV2" => {
                inputs.push(self.value(input(1)?, depth + 1)?);
                Op::Add(Activation::None)
            }
            // The network only ever doubles.
            "ResizeBilinear" => {
                if node.attr.get("half_pixel_centers").and_then(|a| a.b) != Some(true) {
                    return Err(NetError::Unknown("a resize by corners".into()));
                }
                Op::Resize([2 * before[0], 2 * before[1]])
            }
            other => return Err(NetError::Unknown(other.to_owned())),
        };
        let after = match &op {
            Op::Conv { window, bias, .. } => {
                let [h, w] = window.over(before);
                [h, w, bias.len()]
            }
            Op::Depthwise { window, .. } => {
                let [h, w] = window.over(before);
                [h, w, before[2]]
            }
            Op::Resize([h, w]) => [*h, *w, before[2]],
            _ => before,
        };
        let number = self.shapes.len();
        self.shapes.push(after);
        self.numbers.insert(name.to_owned(), number);
        self.nodes.push(Node {
            op,
            inputs,
            output: number,
        });
        Ok(number)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture of one pixel of two channels through one convolution with a bias.
    fn graph(op: &str, kernel: &str) -> String {
        let strides = r#""strides":{"list":{"i":["1","1","1","1"]}},"padding":{"s":"U0FNRQ=="},"fused_ops":{"list":{"s":["Qmlhc0FkZA==","UmVsdTY="]}}"#;
        format!(
            r#"{{"modelTopology":{{"node":[{{"name":"in","op":"Placeholder"}},{{"name":"w","op":"Const"}},{{"name":"b","op":"Const"}},
               {{"name":"head/BiasAdd","op":"{op}","input":["in","w","b"],"attr":{{{strides}}}}}]}},
               "weightsManifest":[{{"weights":[{{"name":"w","shape":{kernel},"dtype":"float32","quantization":{{"dtype":"float16"}}}},{{"name":"b","shape":[1],"dtype":"float32"}}]}}]}}"#
        )
    }

    fn weights() -> Vec<u8> {
        let mut data: Vec<u8> = [2.0, -0.5]
            .iter()
            .flat_map(|v| f16::from_f32(*v).to_le_bytes())
            .collect();
        data.extend(1.0_f32.to_le_bytes());
        data
    }

    #[test]
    fn half_precision_weights_a_bias_and_what_follows_are_read() {
        let net = read(
            graph("_FusedConv2D", "[1,1,2,1]").as_bytes(),
            &weights(),
            ("in", [1, 1, 2]),
            &["head"],
        )
        .unwrap();
        let run = |p: &[f32]| net.run(p).unwrap()[0].data.clone();
        assert_eq!(run(&[1.0, 1.0]), [2.5]);
        assert_eq!(run(&[9.0, 1.0]), [6.0]);
        assert_eq!(run(&[0.0, 9.0]), [0.0]);
        assert!(net.run(&[1.0]).is_err());
    }

    #[test]
    fn what_does_not_fit_is_refused_by_name() {
        let read = |g: String, w: &[u8]| {
            read(g.as_bytes(), w, ("in", [1, 1, 2]), &["head"])
                .map(|_| ())
                .unwrap_err()
                .to_string()
        };
        assert!(read("{}".into(), &weights()).contains("damaged"));
        assert!(read(graph("Softmax", "[1,1,2,1]"), &weights()).contains("no output “head”"));
        assert!(read(graph("_FusedConv2D", "[1,1,1,2]"), &weights()).contains("does not fit"));
        assert!(read(graph("_FusedConv2D", "[1,1,2,1]"), &weights()[..3]).contains("too early"));
    }
}
