//! From tokens to statements.

mod expression;

use super::token::{Token, TokenKind, tokens};
use super::{Argument, Assigned, Expr, ExprKind, MAX_DEPTH, Piece, Segment, Statement};
use crate::Span;

/// The languages of build files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Language {
    /// `build.gradle`.
    Groovy,
    /// `build.gradle.kts`.
    Kotlin,
}

impl Language {
    /// Returns the language of a file, by its name.
    #[must_use]
    pub fn of_file(name: &str) -> Self {
        if name.ends_with(".kts") { Language::Kotlin } else { Language::Groovy }
    }
}

/// Reads a build file. What cannot be made out is left out, to the end of its line or block.
#[must_use]
pub fn parse(text: &str, language: Language) -> Vec<Statement> {
    let tokens = tokens(text);
    let mut reader = Reader { text, tokens: &tokens, at: 0, depth: 0, offset: 0, language };
    let mut statements = Vec::new();
    while reader.at < tokens.len() {
        reader.statements(false, &mut statements);
        // A bracket that nothing opened.
        reader.at += 1;
    }
    statements
}

struct Reader<'t> {
    text: &'t str,
    tokens: &'t [Token],
    at: usize,
    depth: usize,
    /// Where the text starts in the file: a value put into a text is read as a text of its own.
    offset: usize,
    language: Language,
}

/// Words in front of a name that is being declared.
const DECLARING: [&str; 9] = ["def", "val", "var", "final", "const", "String", "int", "Integer", "private"];

/// Words in front of statements that may or may not be run.
const BRANCHES: [&str; 8] = ["if", "else", "for", "while", "when", "switch", "try", "catch"];

impl<'t> Reader<'t> {
    fn peek(&self) -> Option<&'t Token> {
        self.tokens.get(self.at)
    }

    fn source(&self, token: &Token) -> &'t str {
        token.span.of(self.text)
    }

    fn here(&self) -> &'t str {
        self.peek().map_or("", |token| self.source(token))
    }

    fn is_mark(&self, mark: &str) -> bool {
        self.peek().is_some_and(|token| token.kind == TokenKind::Mark && self.source(token) == mark)
    }

    fn take(&mut self, mark: &str) -> bool {
        let found = self.is_mark(mark);
        self.at += usize::from(found);
        found
    }

    fn name(&self) -> Option<&'t str> {
        let token = self.peek().filter(|token| token.kind == TokenKind::Name)?;
        Some(self.source(token).trim_matches('`'))
    }

    /// Whether the next token goes on with the same line.
    fn same_line(&self) -> bool {
        self.peek().is_some_and(|token| !token.new_line)
    }

    fn end(&self) -> usize {
        self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(0, |token| token.span.end)
    }

    fn span(&self, start: usize) -> Span {
        Span::new(start + self.offset, self.end().max(start) + self.offset)
    }

    /// Reads statements up to the bracket that closes the block, which is left.
    fn statements(&mut self, conditional: bool, out: &mut Vec<Statement>) {
        while self.peek().is_some() && !self.is_mark("}") {
            let before = self.at;
            self.statement(conditional, out);
            if self.at == before {
                self.skip_line();
            }
        }
    }

    /// Steps over the rest of a line, and over blocks that open in it.
    fn skip_line(&mut self) {
        let mut first = true;
        while let Some(token) = self.peek() {
            if (token.new_line && !first) || self.is_mark("}") {
                return;
            }
            if self.is_mark("{") || self.is_mark("(") || self.is_mark("[") {
                self.skip_group();
            } else {
                self.at += 1;
            }
            first = false;
        }
    }

    /// Steps over a bracket and all to the one that closes it.
    fn skip_group(&mut self) {
        let mut depth = 0usize;
        while self.peek().is_some() {
            match self.here() {
                "{" | "(" | "[" => depth += 1,
                "}" | ")" | "]" => depth = depth.saturating_sub(1),
                _ => {}
            }
            self.at += 1;
            if depth == 0 {
                return;
            }
        }
    }

    fn statement(&mut self, conditional: bool, out: &mut Vec<Statement>) {
        if self.depth >= MAX_DEPTH {
            return self.skip_line();
        }
        self.depth += 1;
        self.one_statement(conditional, out);
        self.depth -= 1;
    }

    // In one piece: one branch for each form of a statement, told apart by what follows the first word.
    fn one_statement(&mut self, conditional: bool, out: &mut Vec<Statement>) {
        if self.take(";") {
            return;
        }
        let Some(token) = self.peek() else { return };
        let start = token.span.start;
        if let Some(word) = self.name()
            && BRANCHES.contains(&word)
        {
            self.at += 1;
            if self.is_mark("(") {
                self.skip_group();
            }
            if self.take("{") {
                self.statements(true, out);
                self.take("}");
            } else {
                self.statement(true, out);
            }
            return;
        }
        if self.name() == Some("import") || self.is_mark("@") {
            return self.skip_line();
        }
        let mut declares = false;
        while self.name().is_some_and(|word| DECLARING.contains(&word))
            && self.tokens.get(self.at + 1).is_some_and(|next| next.kind == TokenKind::Name && !next.new_line)
        {
            declares = true;
            self.at += 1;
        }
        let mut path = match self.peek().map(|token| token.kind) {
            Some(TokenKind::Name) => match self.path() {
                Some(path) => path,
                None => return self.skip_line(),
            },
            // The value of a closure: `extra { 24 }`.
            Some(TokenKind::Number | TokenKind::Text { .. })
                if self.tokens.get(self.at + 1).is_none_or(|next| next.new_line || self.source(next) == "}") =>
            {
                let value = self.expression();
                let span = value.span;
                let value = Some(Assigned { adds: false, value });
                out.push(Statement { value, span, conditional, ..Statement::default() });
                return;
            }
            // A flavor or plugin may be named by a text: 'free' { … }.
            Some(TokenKind::Text { .. }) => match self.text().as_text() {
                // … or called: "freeImplementation"("group:artifact:1.0").
                Some(name) if self.is_mark("(") && self.same_line() => vec![Segment::Call(name, self.arguments())],
                Some(name) => vec![Segment::Name(name)],
                None => return self.skip_line(),
            },
            _ => return self.skip_line(),
        };
        // A type behind a declared name: val level: Int = 24.
        if declares && self.take(":") {
            self.path();
            self.take("?");
        }
        let mut statement = Statement { declares, conditional, ..Statement::default() };
        if let Some(Segment::Call(name, arguments)) = path.last_mut() {
            statement.arguments = std::mem::take(arguments);
            let name = std::mem::take(name);
            path.pop();
            path.push(Segment::Name(name));
        }
        if self.same_line() && (self.is_mark("=") || self.is_mark("+=")) {
            let adds = self.is_mark("+=");
            self.at += 1;
            let value = self.expression();
            statement.value = Some(Assigned { adds, value });
        } else if self.same_line() && self.name() == Some("by") {
            self.at += 1;
            let value = self.expression();
            statement.value = Some(Assigned { adds: false, value });
        } else {
            self.bare_arguments(&mut statement);
        }
        statement.span = self.span(start);
        if self.same_line() && self.is_mark("{") {
            let open = self.peek().map_or(0, |token| token.span.start);
            statement.block = Some(self.block(conditional));
            statement.brackets = Some(self.span(open));
        }
        // What goes on behind a closed block or an assignment has to be computed: `.configure { }`, `? a : b`.
        if self.same_line() && !self.is_mark("}") && !self.is_mark(";") {
            let next = self.at;
            self.skip_line();
            if let Some(assigned) = &mut statement.value
                && next < self.at
            {
                assigned.value = Expr { kind: ExprKind::Other, span: assigned.value.span };
                assigned.value.span.end = self.end() + self.offset;
                statement.span.end = assigned.value.span.end;
            }
        }
        statement.path = path;
        out.push(statement);
    }

    /// Reads arguments without brackets, and the words that follow: `minSdk 24`, `id 'a' version '1' apply false`.
    fn bare_arguments(&mut self, statement: &mut Statement) {
        if statement.arguments.is_empty() && self.same_line() && self.starts_value() {
            loop {
                let argument = self.argument();
                statement.arguments.push(argument);
                if !self.take(",") {
                    break;
                }
            }
        }
        while self.same_line()
            && let Some(word) = self.name()
            && self.tokens.get(self.at + 1).is_some_and(|next| !next.new_line)
        {
            self.at += 1;
            let bracket = self.take("(");
            let value = self.expression();
            if bracket {
                self.take(")");
            }
            statement.modifiers.push((word.to_owned(), value));
        }
    }

    fn starts_value(&self) -> bool {
        match self.peek() {
            Some(token) if token.kind == TokenKind::Mark => {
                matches!(self.source(token), "[" | "(" | "-") && token.spaced
            }
            Some(_) => true,
            None => false,
        }
    }

    /// Reads a block, from its opening bracket past its closing one.
    fn block(&mut self, conditional: bool) -> Vec<Statement> {
        let mut inside = Vec::new();
        self.take("{");
        // The parameters of a closure: `{ variant -> …`.
        let ahead = self.tokens.get(self.at..self.at + 4).unwrap_or_default();
        if let Some(arrow) = ahead.iter().position(|token| self.source(token) == "->") {
            self.at += arrow + 1;
        }
        self.statements(conditional, &mut inside);
        self.take("}");
        inside
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Writes statements down in one form for both languages.
    fn shape(statements: &[Statement]) -> String {
        let one = |statement: &Statement| {
            let mut out = String::new();
            if statement.conditional {
                out.push('?');
            }
            if statement.declares {
                out.push_str("def ");
            }
            out.push_str(&path(&statement.path));
            let arguments: Vec<_> = statement.arguments.iter().map(argument).collect();
            if !arguments.is_empty() {
                out.push_str(&format!("({})", arguments.join(", ")));
            }
            for (word, value) in &statement.modifiers {
                out.push_str(&format!(" {word} {}", expr(value)));
            }
            if let Some(assigned) = &statement.value {
                out.push_str(if assigned.adds { " += " } else { " = " });
                out.push_str(&expr(&assigned.value));
            }
            if let Some(block) = &statement.block {
                out.push_str(&format!(" {{ {} }}", shape(block)));
            }
            out
        };
        statements.iter().map(one).collect::<Vec<_>>().join("; ")
    }

    fn argument(argument: &Argument) -> String {
        let name = argument.name.as_ref().map(|name| format!("{name}: ")).unwrap_or_default();
        format!("{name}{}", expr(&argument.value))
    }

    fn path(path: &[Segment]) -> String {
        let step = |segment: &Segment| match segment {
            Segment::Name(name) => name.clone(),
            Segment::Call(name, arguments) => {
                format!("{name}({})", arguments.iter().map(argument).collect::<Vec<_>>().join(", "))
            }
            Segment::Index(index) => format!("[{}]", expr(index)),
        };
        path.iter().map(step).collect::<Vec<_>>().join(".")
    }

    fn expr(value: &Expr) -> String {
        let all = |values: &[Expr]| values.iter().map(expr).collect::<Vec<_>>().join(", ");
        match &value.kind {
            ExprKind::Text(pieces) => {
                let piece = |piece: &Piece| match piece {
                    Piece::Literal(text) => text.clone(),
                    Piece::Value(value) => format!("<{}>", expr(value)),
                };
                format!("'{}'", pieces.iter().map(piece).collect::<String>())
            }
            ExprKind::Number(number) => number.to_string(),
            ExprKind::Bool(value) => value.to_string(),
            ExprKind::Null => "null".to_owned(),
            ExprKind::List(values) => format!("[{}]", all(values)),
            ExprKind::Map(pairs) => {
                let pair = |(key, value): &(Expr, Expr)| format!("{}: {}", expr(key), expr(value));
                format!("[{}]", pairs.iter().map(pair).collect::<Vec<_>>().join(", "))
            }
            ExprKind::Path(segments) => path(segments),
            ExprKind::Sum(one, other) => format!("{} + {}", expr(one), expr(other)),
            ExprKind::Or(one, other) => format!("{} ?: {}", expr(one), expr(other)),
            ExprKind::Pair(one, other) => format!("{} to {}", expr(one), expr(other)),
            ExprKind::Block(statements) => format!("{{ {} }}", shape(statements)),
            ExprKind::Other => "…".to_owned(),
        }
    }

    #[track_caller]
    fn reads(text: &str, wanted: &str) {
        assert_eq!(shape(&parse(text, Language::Groovy)), wanted, "{text}");
    }

    #[test]
    fn both_languages_come_out_alike() {
        let groovy = "android {\n  // minSdkVersion 1\n  namespace 'example.a'\n  defaultConfig {\n    minSdkVersion 24\n    applicationId = \"example.a\"\n  }\n}";
        let kotlin = "android {\n  namespace(\"example.a\")\n  defaultConfig {\n    minSdkVersion(24)\n    applicationId = \"example.a\"\n  }\n}";
        let wanted =
            "android { namespace('example.a'); defaultConfig { minSdkVersion(24); applicationId = 'example.a' } }";
        reads(groovy, wanted);
        reads(kotlin, wanted);
    }

    #[test]
    fn statements_of_many_forms() {
        reads("id(\"a.b\") version \"1\" apply false", "id('a.b') version '1' apply false");
        reads("id 'a.b' version '1' apply false", "id('a.b') version '1' apply false");
        reads("apply plugin: 'a.b'", "apply(plugin: 'a.b')");
        reads("apply(plugin = \"a.b\")", "apply(plugin: 'a.b')");
        reads("def x = 3\nval y: Int = 4\nint z = 5", "def x = 3; def y = 4; def z = 5");
        reads("val m by extra(24)\nval n by extra { 35 }", "def m = extra(24); def n = extra({  = 35 })");
        reads("ext.minSdk = 24; extra[\"t\"] = 35", "ext.minSdk = 24; extra.['t'] = 35");
        reads("project.ext.set('a', 1)", "project.ext.set('a', 1)");
        reads("'free' { dimension 'tier' }", "free { dimension('tier') }");
        reads("create(\"free\") { dimension = \"tier\" }", "create('free') { dimension = 'tier' }");
        reads(
            "manifestPlaceholders = [host: 'a.example', \"k\": v]",
            "manifestPlaceholders = ['host': 'a.example', 'k': v]",
        );
        reads("manifestPlaceholders += mapOf(\"a\" to \"b\")", "manifestPlaceholders += ['a': 'b']");
        reads("manifestPlaceholders[\"a\"] = \"b\"", "manifestPlaceholders.['a'] = 'b'");
        reads(
            "flavorDimensions 'a', 'b'\nflavorDimensions += listOf(\"c\")",
            "flavorDimensions('a', 'b'); flavorDimensions += ['c']",
        );
        reads(
            "proguardFiles getDefaultProguardFile('p.txt'), 'q.pro'",
            "proguardFiles(getDefaultProguardFile('p.txt'), 'q.pro')",
        );
        reads("maven { url = uri(\"https://a.example/m\") }", "maven { url = uri('https://a.example/m') }");
        reads(
            "implementation(project(\":core\"))\nimplementation libs.a.b",
            "implementation(project(':core')); implementation(libs.a.b)",
        );
        reads(
            "sourceSets.getByName(\"main\") { manifest.srcFile(\"x.xml\") }",
            "sourceSets.getByName('main') { manifest.srcFile('x.xml') }",
        );
        reads("include ':app',\n    ':core'", "include(':app', ':core')");
    }

    #[test]
    fn what_is_computed_is_not_made_up() {
        reads("minSdk = a ? 1 : 2", "minSdk = …");
        reads("minSdk = rootProject.ext.has('x') ? rootProject.ext.x : 21\ntargetSdk 3", "minSdk = …; targetSdk(3)");
        reads("if (x) {\n minSdk = 1\n} else {\n minSdk = 2 }\nminSdk = 3", "?minSdk = 1; ?minSdk = 2; minSdk = 3");
        reads("minSdk = (findProperty('m') ?: '24') as Integer", "minSdk = findProperty('m') ?: '24'");
        reads(
            "minSdk = Integer.parseInt(findProperty('m') ?: '24')",
            "minSdk = Integer.parseInt(findProperty('m') ?: '24')",
        );
        reads("v = \"a.${b.c}.$d\"", "v = 'a.<b.c>.<d>'");
        reads("v = \"a\" + b", "v = 'a' + b");
        reads("v = \"$a.b\"", "v = '<a.b>'");
        assert_eq!(shape(&parse("v = \"$a.b\"", Language::Kotlin)), "v = '<a>.b'");
        reads("v = libs.versions.min.sdk.get().toInt()", "v = libs.versions.min.sdk.get().toInt()");
        reads("v = rootProject.extra[\"m\"] as Int", "v = rootProject.extra.['m']");
        reads("v = x * 2", "v = …");
        reads("variants.all { v -> v.x = 1 }", "variants.all { v.x = 1 }");
    }

    #[test]
    fn spans_point_into_the_file() {
        let text = "android {\n  minSdk = 24 // so\n  id \"x.${suffix}\"\n}";
        let statements = parse(text, Language::Groovy);
        let inside = statements[0].block.as_ref().unwrap();
        assert_eq!(inside[0].span.of(text), "minSdk = 24");
        let ExprKind::Text(pieces) = &inside[1].arguments[0].value.kind else { panic!("no text") };
        let Piece::Value(value) = &pieces[1] else { panic!("nothing put in") };
        assert_eq!(value.span.of(text), "suffix");
    }

    #[test]
    fn broken_text_does_no_harm() {
        for text in [
            "a { \"open\n/* never closed",
            "}}} x 1",
            "a(((",
            "[[[",
            "a = ",
            "x ${",
            "if (",
            "\"${",
            "def",
            "a.b.",
            "val x by",
        ] {
            let _ = parse(text, Language::Groovy);
        }
        for open in ["a {", "(", "x = ["] {
            let _ = parse(&open.repeat(5000), Language::Groovy);
        }
        reads("}}} x 1", "x(1)");
    }
}
