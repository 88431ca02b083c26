//! Reading expressions: paths, calls, texts and collections.

use super::*;

impl<'t> Reader<'t> {
    pub(super) fn path(&mut self) -> Option<Vec<Segment>> {
        let mut path = vec![Segment::Name(self.name()?.to_owned())];
        self.at += 1;
        self.steps(&mut path);
        Some(path)
    }

    /// Reads what follows a name without a space: calls, indexes, further names.
    pub(super) fn steps(&mut self, path: &mut Vec<Segment>) {
        loop {
            let Some(token) = self.peek() else { return };
            let tight = !token.spaced;
            match self.source(token) {
                "(" if tight => {
                    let arguments = self.arguments();
                    if let Some(Segment::Name(name)) = path.last_mut() {
                        let name = std::mem::take(name);
                        path.pop();
                        path.push(Segment::Call(name, arguments));
                    }
                }
                "[" if tight => {
                    self.at += 1;
                    let index = self.expression();
                    if !self.take("]") {
                        return;
                    }
                    path.push(Segment::Index(index));
                }
                "!!" if tight => self.at += 1,
                "." | "?." => {
                    let next = self.tokens.get(self.at + 1);
                    let Some(next) = next.filter(|next| next.kind == TokenKind::Name) else { return };
                    self.at += 2;
                    path.push(Segment::Name(self.source(next).trim_matches('`').to_owned()));
                }
                // Type arguments: `extra.get<Int>("x")`.
                "<" if tight => {
                    let close = self.tokens.get(self.at..self.at + 4).unwrap_or_default();
                    let Some(close) = close.iter().position(|token| self.source(token) == ">") else { return };
                    self.at += close + 1;
                }
                _ => return,
            }
        }
    }

    pub(super) fn arguments(&mut self) -> Vec<Argument> {
        let mut arguments = Vec::new();
        self.at += 1;
        while self.peek().is_some() && !self.is_mark(")") {
            let before = self.at;
            arguments.push(self.argument());
            if !self.take(",") && !self.is_mark(")") {
                // Something that is computed: the rest of the brackets belongs to it.
                if let Some(last) = arguments.last_mut() {
                    last.value.kind = ExprKind::Other;
                }
                self.skip_to_close();
            }
            if self.at == before {
                self.at += 1;
            }
        }
        self.take(")");
        arguments
    }

    pub(super) fn skip_to_close(&mut self) {
        while self.peek().is_some() && !matches!(self.here(), ")" | "," | "]" | "}") {
            if matches!(self.here(), "(" | "[" | "{") {
                self.skip_group();
            } else {
                self.at += 1;
            }
        }
    }

    pub(super) fn argument(&mut self) -> Argument {
        let next = self.tokens.get(self.at + 1).map(|token| self.source(token));
        let named = matches!(next, Some(":" | "=")) && self.name().is_some();
        let name = self.name().filter(|_| named).map(str::to_owned);
        if named {
            self.at += 2;
        }
        Argument { name, value: self.expression() }
    }

    pub(super) fn expression(&mut self) -> Expr {
        let start = self.peek().map_or(self.end(), |token| token.span.start);
        if self.depth >= MAX_DEPTH {
            self.at += usize::from(self.peek().is_some());
            return Expr { kind: ExprKind::Other, span: self.span(start) };
        }
        self.depth += 1;
        let mut left = self.primary();
        while let Some(token) = self.peek() {
            let on_line = !token.new_line;
            let build: fn(Box<Expr>, Box<Expr>) -> ExprKind = match self.source(token) {
                "+" if on_line => ExprKind::Sum,
                "?:" => ExprKind::Or,
                "to" if on_line && token.kind == TokenKind::Name => ExprKind::Pair,
                "as" if on_line && token.kind == TokenKind::Name => {
                    self.at += 1;
                    self.take("?");
                    self.path();
                    continue;
                }
                "?" | "==" | "!=" | "&&" | "||" | "-" | "*" | "/" | "<" | ">" | "%" if on_line => {
                    self.rest_of_expression();
                    left.kind = ExprKind::Other;
                    break;
                }
                _ => break,
            };
            self.at += 1;
            let right = self.primary();
            left = Expr { kind: build(Box::new(left), Box::new(right)), span: self.span(start) };
        }
        self.depth -= 1;
        left.span = self.span(start);
        left
    }

    /// Steps over the rest of something that is computed, up to the end of its line or brackets.
    pub(super) fn rest_of_expression(&mut self) {
        while self.peek().is_some_and(|token| !token.new_line || matches!(self.source(token), "?" | ":" | "&&" | "||"))
            && !matches!(self.here(), ")" | "]" | "}" | ",")
        {
            if matches!(self.here(), "(" | "[" | "{") {
                self.skip_group();
            } else {
                self.at += 1;
            }
        }
    }

    pub(super) fn primary(&mut self) -> Expr {
        let start = self.peek().map_or(self.end(), |token| token.span.start);
        let kind = match self.peek().map(|token| token.kind) {
            Some(TokenKind::Text { .. }) => {
                let text = self.text();
                let mut steps = Vec::new();
                self.steps(&mut steps);
                match steps.last().and_then(Segment::name) {
                    // `"24".toInteger()` and the like leave the value what it is.
                    None | Some("toInteger" | "toInt" | "toString" | "trim") => text.kind,
                    Some(_) => ExprKind::Other,
                }
            }
            Some(TokenKind::Number) => {
                let number = self.here().replace('_', "");
                self.at += 1;
                // A dot behind a number: a fraction, or a call such as `24.toString()`.
                let mut steps = vec![Segment::Name(String::new())];
                self.steps(&mut steps);
                number.trim_end_matches(['L', 'l']).parse().map_or(ExprKind::Other, ExprKind::Number)
            }
            Some(TokenKind::Name) => self.named(),
            Some(TokenKind::Mark) => match self.here() {
                "[" => self.brackets(),
                "(" => {
                    self.at += 1;
                    let inside = self.expression();
                    if !self.take(")") {
                        self.skip_to_close();
                        self.take(")");
                        ExprKind::Other
                    } else {
                        let mut path = vec![Segment::Name(String::new())];
                        self.steps(&mut path);
                        let last = path.last().and_then(Segment::name).unwrap_or_default();
                        match last {
                            "" | "toInteger" | "toInt" | "toString" => inside.kind,
                            _ => ExprKind::Other,
                        }
                    }
                }
                "{" => ExprKind::Block(self.block(false)),
                _ => {
                    self.at += 1;
                    ExprKind::Other
                }
            },
            None => ExprKind::Other,
        };
        Expr { kind, span: self.span(start) }
    }

    pub(super) fn named(&mut self) -> ExprKind {
        match self.name() {
            Some("true") => self.one(ExprKind::Bool(true)),
            Some("false") => self.one(ExprKind::Bool(false)),
            Some("null") => self.one(ExprKind::Null),
            Some("new" | "if" | "when" | "try" | "throw") => {
                self.rest_of_expression();
                ExprKind::Other
            }
            _ => {
                let Some(mut path) = self.path() else { return self.one(ExprKind::Other) };
                if self.is_mark("{") && self.same_line() {
                    let block = self.block(false);
                    let start = self.end();
                    let argument =
                        Argument { name: None, value: Expr { kind: ExprKind::Block(block), span: self.span(start) } };
                    match path.last_mut() {
                        Some(Segment::Call(_, arguments)) => arguments.push(argument),
                        Some(Segment::Name(name)) => {
                            let name = std::mem::take(name);
                            path.pop();
                            path.push(Segment::Call(name, vec![argument]));
                        }
                        _ => {}
                    }
                    self.steps(&mut path);
                }
                collection(path)
            }
        }
    }

    pub(super) fn one(&mut self, kind: ExprKind) -> ExprKind {
        self.at += 1;
        kind
    }

    /// Reads a list or a map in square brackets.
    pub(super) fn brackets(&mut self) -> ExprKind {
        self.at += 1;
        if self.take(":") {
            self.take("]");
            return ExprKind::Map(Vec::new());
        }
        let (mut list, mut map) = (Vec::new(), Vec::new());
        while self.peek().is_some() && !self.is_mark("]") {
            let before = self.at;
            let mut first = self.expression();
            if self.take(":") {
                // A bare word in front of a colon is the key itself.
                if let ExprKind::Path(path) = &first.kind {
                    first.kind = ExprKind::Text(vec![Piece::Literal(super::super::path_name(path))]);
                }
                map.push((first, self.expression()));
            } else {
                list.push(first);
            }
            if !self.take(",") && !self.is_mark("]") {
                self.skip_to_close();
                list.push(Expr { kind: ExprKind::Other, span: self.span(self.end()) });
            }
            if self.at == before {
                self.at += 1;
            }
        }
        self.take("]");
        if map.is_empty() { ExprKind::List(list) } else { ExprKind::Map(map) }
    }

    /// Reads the text at this token.
    pub(super) fn text(&mut self) -> Expr {
        let Some(Token { kind: TokenKind::Text { quotes, plain }, span, .. }) = self.peek() else {
            return Expr { kind: ExprKind::Other, span: Span::default() };
        };
        self.at += 1;
        let inside = Span::new(span.start + quotes, span.end.saturating_sub(*quotes).max(span.start + quotes));
        let pieces = self.pieces(inside, *plain);
        Expr { kind: ExprKind::Text(pieces), span: Span::new(span.start + self.offset, span.end + self.offset) }
    }

    pub(super) fn pieces(&self, inside: Span, plain: bool) -> Vec<Piece> {
        let source = inside.of(self.text);
        let mut pieces = Vec::new();
        let mut literal = String::new();
        let mut characters = source.char_indices().peekable();
        while let Some((at, character)) = characters.next() {
            match character {
                '\\' => match characters.next() {
                    Some((_, 'n')) => literal.push('\n'),
                    Some((_, 't')) => literal.push('\t'),
                    Some((_, other)) => literal.push(other),
                    None => {}
                },
                '$' if !plain => {
                    let rest = source.get(at + 1..).unwrap_or_default();
                    let (code, from, len) = if rest.starts_with('{') {
                        let end = closing(rest);
                        (rest.get(1..end).unwrap_or_default(), at + 2, end + 1)
                    } else {
                        // In Groovy, `$a.b` puts in the property of a property; in Kotlin, the dot is text.
                        let dots = self.language == Language::Groovy;
                        let part = |character: char| {
                            character.is_alphanumeric() || character == '_' || (dots && character == '.')
                        };
                        let end = rest.find(|character| !part(character)).unwrap_or(rest.len());
                        let name = rest.get(..end).unwrap_or_default().trim_end_matches('.');
                        (name, at + 1, name.len())
                    };
                    if code.is_empty() {
                        literal.push('$');
                        continue;
                    }
                    if !literal.is_empty() {
                        pieces.push(Piece::Literal(std::mem::take(&mut literal)));
                    }
                    pieces.push(Piece::Value(self.inner(code, inside.start + from)));
                    while characters.peek().is_some_and(|(next, _)| *next <= at + len) {
                        characters.next();
                    }
                }
                other => literal.push(other),
            }
        }
        if !literal.is_empty() || pieces.is_empty() {
            pieces.push(Piece::Literal(literal));
        }
        pieces
    }

    /// Reads an expression that stands inside a text.
    pub(super) fn inner(&self, code: &str, start: usize) -> Expr {
        let tokens = tokens(code);
        let offset = self.offset + start;
        let (depth, language) = (self.depth + 1, self.language);
        let mut reader = Reader { text: code, tokens: &tokens, at: 0, depth, offset, language };
        let mut expr = reader.expression();
        if reader.at < tokens.len() {
            expr.kind = ExprKind::Other;
        }
        expr
    }
}

/// Returns the offset of the bracket that closes the one at the start of `text`.
fn closing(text: &str) -> usize {
    let mut depth = 0usize;
    for (at, character) in text.char_indices() {
        match character {
            '{' => depth += 1,
            '}' => {
                depth = depth.saturating_sub(1);
                if depth == 0 {
                    return at;
                }
            }
            _ => {}
        }
    }
    text.len()
}

/// Turns calls that make lists and maps into what they make.
fn collection(mut path: Vec<Segment>) -> ExprKind {
    if let ([Segment::Call(name, _)], true) = (path.as_slice(), path.len() == 1) {
        let (list, map) = (
            ["listOf", "setOf", "arrayOf", "mutableListOf", "mutableSetOf", "arrayListOf"].contains(&name.as_str()),
            ["mapOf", "mutableMapOf", "hashMapOf"].contains(&name.as_str()),
        );
        if (list || map)
            && let Some(Segment::Call(_, arguments)) = path.pop()
        {
            let values = arguments.into_iter().map(|argument| argument.value);
            if list {
                return ExprKind::List(values.collect());
            }
            let pairs = values.map(|value| match value.kind {
                ExprKind::Pair(key, value) => Some((*key, *value)),
                _ => None,
            });
            return pairs.collect::<Option<Vec<_>>>().map_or(ExprKind::Other, ExprKind::Map);
        }
    }
    ExprKind::Path(path)
}
