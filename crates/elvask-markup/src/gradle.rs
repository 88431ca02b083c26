//! Reads Gradle build files, in Groovy or Kotlin, without running them.
//!
//! A build file is a program. What is read is its shape: statements with names, arguments, assignments and blocks, and the
//! plain expressions among them. What has another shape is kept as [`ExprKind::Other`], so that whoever asks for its value
//! learns that it is not known, and where it stands. The reader never fails: what it cannot make out ends at the line.

mod read;
mod token;

pub use read::{Language, parse};

use crate::Span;

/// The deepest nesting that is read.
pub const MAX_DEPTH: usize = 100;

/// Returns the first bracket that nothing closes, or that closes nothing; `None` where all brackets of a build file pair up. Those in texts
/// and comments are none.
#[must_use]
pub fn unpaired(text: &str) -> Option<Span> {
    let mut open: Vec<(&str, Span)> = Vec::new();
    for token in token::tokens(text).iter().filter(|token| token.kind == token::TokenKind::Mark) {
        let mark = token.span.of(text);
        let opener = match mark {
            "{" | "(" | "[" => {
                open.push((mark, token.span));
                continue;
            }
            "}" => "{",
            ")" => "(",
            "]" => "[",
            _ => continue,
        };
        match open.pop() {
            Some((known, _)) if known == opener => {}
            Some((_, span)) => return Some(span),
            None => return Some(token.span),
        }
    }
    open.first().map(|(_, span)| *span)
}

/// One statement of a build file.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Statement {
    /// What is called, set or opened, as a path: `android`, `project.ext.set`, `tasks.register`.
    pub path: Vec<Segment>,
    /// Whether it declares a variable (`def`, `val`, `var`, or a type in front).
    pub declares: bool,
    /// What it is set to, where it is an assignment.
    pub value: Option<Assigned>,
    /// The arguments, in brackets or without, with their names where they have one.
    pub arguments: Vec<Argument>,
    /// What follows on the same line: `version "1.0"`, `apply false`.
    pub modifiers: Vec<(String, Expr)>,
    /// The block behind it.
    pub block: Option<Vec<Statement>>,
    /// The brackets of the block with what is between them, in bytes.
    pub brackets: Option<Span>,
    /// Whether it stands in a branch or loop, so that only running the build tells whether it takes effect.
    pub conditional: bool,
    /// The whole statement, without its block, in bytes.
    pub span: Span,
}

impl Statement {
    /// Returns the path as dotted names, without calls and indexes: `project.ext`.
    #[must_use]
    pub fn name(&self) -> String {
        path_name(&self.path)
    }

    /// Returns the last name of the path.
    #[must_use]
    pub fn last(&self) -> &str {
        self.path.iter().rev().find_map(Segment::name).unwrap_or_default()
    }
}

/// Returns a path as dotted names, without arguments and indexes.
#[must_use]
pub fn path_name(path: &[Segment]) -> String {
    let names: Vec<_> = path.iter().filter_map(Segment::name).collect();
    names.join(".")
}

/// An assignment.
#[derive(Debug, Clone, PartialEq)]
pub struct Assigned {
    /// Whether it adds to what is there (`+=`).
    pub adds: bool,
    /// The value.
    pub value: Expr,
}

/// An argument of a call.
#[derive(Debug, Clone, PartialEq)]
pub struct Argument {
    /// Its name, where it is a named one.
    pub name: Option<String>,
    /// The value.
    pub value: Expr,
}

/// An expression with its place.
#[derive(Debug, Clone, PartialEq)]
pub struct Expr {
    /// What it is.
    pub kind: ExprKind,
    /// All that it covers, in bytes.
    pub span: Span,
}

/// The expressions that are told apart.
#[derive(Debug, Clone, PartialEq)]
pub enum ExprKind {
    /// Text, in pieces where values are put in.
    Text(Vec<Piece>),
    /// A whole number.
    Number(i64),
    /// `true` or `false`.
    Bool(bool),
    /// `null`.
    Null,
    /// Values in square brackets, or in a call of `listOf`, `setOf` and the like.
    List(Vec<Expr>),
    /// Keys with values, in square brackets or in a call of `mapOf` and the like.
    Map(Vec<(Expr, Expr)>),
    /// Names, calls and indexes behind each other.
    Path(Vec<Segment>),
    /// `one + other`.
    Sum(Box<Expr>, Box<Expr>),
    /// `one ?: other`: the first unless it is nothing.
    Or(Box<Expr>, Box<Expr>),
    /// `one to other`.
    Pair(Box<Expr>, Box<Expr>),
    /// Statements in curly brackets.
    Block(Vec<Statement>),
    /// Anything that has to be computed.
    Other,
}

/// A piece of a text.
#[derive(Debug, Clone, PartialEq)]
pub enum Piece {
    /// As written, escapes replaced.
    Literal(String),
    /// What is put in.
    Value(Expr),
}

/// One step of a path.
#[derive(Debug, Clone, PartialEq)]
pub enum Segment {
    /// A name.
    Name(String),
    /// A name with arguments.
    Call(String, Vec<Argument>),
    /// An index: `["name"]`.
    Index(Expr),
}

impl Segment {
    /// Returns the name of a step that has one.
    #[must_use]
    pub fn name(&self) -> Option<&str> {
        match self {
            Segment::Name(name) | Segment::Call(name, _) => Some(name),
            Segment::Index(_) => None,
        }
    }
}

impl Expr {
    /// Returns a text into which nothing is put.
    #[must_use]
    pub fn as_text(&self) -> Option<String> {
        match &self.kind {
            ExprKind::Text(pieces) => pieces
                .iter()
                .map(|piece| match piece {
                    Piece::Literal(text) => Some(text.as_str()),
                    Piece::Value(_) => None,
                })
                .collect(),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::unpaired;
    use crate::Span;

    #[test]
    fn brackets_pair_up_or_the_one_that_does_not_is_named() {
        for text in ["", "a { b(c[1]) }", "// {\n/* ( */ a { x '{' }", "a { \"${b { }}\" }", "'''\n{\n'''"] {
            assert_eq!(unpaired(text), None, "{text}");
        }
        assert_eq!(unpaired("a {\n  b {\n  }\n"), Some(Span::new(2, 3)));
        assert_eq!(unpaired("a { b( }"), Some(Span::new(5, 6)));
        assert_eq!(unpaired("a }\n"), Some(Span::new(2, 3)));
    }
}
