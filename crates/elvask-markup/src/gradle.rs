//! Reads what a Gradle build file says in so many words, in Groovy or Kotlin, without running it.
//!
//! A build file is a program. What is read here are its plain settings: a name with one value, inside named blocks.
//! Anything that would have to be computed is given back as the expression that it is.

use crate::Span;

/// The value of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SettingValue {
    /// A quoted text without anything to be put in.
    Text(String),
    /// A whole number.
    Number(u32),
    /// Anything else, as written.
    Expression(String),
}

/// One setting of a build file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// The names of the blocks around it, outermost first.
    pub blocks: Vec<String>,
    /// The name that is set or called.
    pub name: String,
    /// What it is set to: the first value after the name.
    pub value: SettingValue,
    /// From the name to the end of the value, in bytes.
    pub span: Span,
}

/// Returns the settings of a build file in the order in which they stand.
#[must_use]
pub fn settings(text: &str) -> Vec<Setting> {
    let tokens = tokens(text);
    let mut blocks: Vec<String> = Vec::new();
    let mut found = Vec::new();
    let mut last_name: Option<String> = None;
    for (at, token) in tokens.iter().enumerate() {
        match token.kind {
            TokenKind::Open => blocks.push(last_name.take().unwrap_or_default()),
            TokenKind::Close => {
                blocks.pop();
            }
            TokenKind::Name => {
                let name = token.span.of(text);
                last_name = Some(name.to_owned());
                if let Some((value, end)) = value_after(text, &tokens, at) {
                    let span = Span::new(token.span.start, end);
                    found.push(Setting { blocks: blocks.clone(), name: name.to_owned(), value, span });
                }
            }
            TokenKind::Text if last_name.is_none() => last_name = Some(unquote(token.span.of(text)).to_owned()),
            _ => {}
        }
    }
    found
}

fn unquote(text: &str) -> &str {
    text.trim_matches(['"', '\''])
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum TokenKind {
    Name,
    Text,
    Number,
    Open,
    Close,
    Assign,
    Bracket,
    Other,
}

#[derive(Debug, Clone, Copy)]
struct Token {
    kind: TokenKind,
    span: Span,
}

/// Returns the value that belongs to the name at `at`, and where it ends, if one follows on the same line.
fn value_after(text: &str, tokens: &[Token], at: usize) -> Option<(SettingValue, usize)> {
    let name = tokens.get(at)?;
    let mut next =
        tokens.get(at + 1..)?.iter().skip_while(|token| matches!(token.kind, TokenKind::Assign | TokenKind::Bracket));
    let value = next.next()?;
    let between = Span::new(name.span.end, value.span.start).of(text);
    if between.contains('\n') || between.contains(')') {
        return None;
    }
    let source = value.span.of(text);
    let read = match value.kind {
        TokenKind::Text if !source.contains('$') || source.starts_with('\'') => {
            SettingValue::Text(unquote(source).to_owned())
        }
        TokenKind::Number => SettingValue::Number(source.replace('_', "").parse().ok()?),
        TokenKind::Text | TokenKind::Name => SettingValue::Expression(source.to_owned()),
        _ => return None,
    };
    Some((read, value.span.end))
}

fn tokens(text: &str) -> Vec<Token> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(first) = text.get(at..).and_then(|rest| rest.chars().next()) {
        let rest = text.get(at..).unwrap_or_default();
        let (kind, len) = match first {
            '/' if rest.starts_with("//") => (None, rest.find('\n').unwrap_or(rest.len())),
            '/' if rest.starts_with("/*") => (None, rest.find("*/").map_or(rest.len(), |end| end + 2)),
            '"' | '\'' => (Some(TokenKind::Text), text_len(rest, first)),
            '{' => (Some(TokenKind::Open), 1),
            '}' => (Some(TokenKind::Close), 1),
            '=' => (Some(TokenKind::Assign), 1),
            '(' => (Some(TokenKind::Bracket), 1),
            _ if first.is_whitespace() => (None, first.len_utf8()),
            _ if first.is_ascii_digit() => {
                let end = rest.find(|character: char| !(character.is_ascii_digit() || character == '_'));
                (Some(TokenKind::Number), end.unwrap_or(rest.len()))
            }
            _ if first.is_alphabetic() || first == '_' => {
                let part = |character: char| character.is_alphanumeric() || matches!(character, '_' | '.');
                (Some(TokenKind::Name), rest.find(|character| !part(character)).unwrap_or(rest.len()))
            }
            _ => (Some(TokenKind::Other), first.len_utf8()),
        };
        if let Some(kind) = kind {
            out.push(Token { kind, span: Span::new(at, at + len) });
        }
        at += len.max(1);
    }
    out
}

/// Returns the length of the quoted text at the start of `rest`, quotes included.
fn text_len(rest: &str, quote: char) -> usize {
    let triple: String = std::iter::repeat_n(quote, 3).collect();
    if rest.starts_with(&triple) {
        return rest.get(3..).and_then(|inside| inside.find(&triple)).map_or(rest.len(), |end| end + 6);
    }
    let mut escaped = false;
    for (at, character) in rest.char_indices().skip(1) {
        match character {
            '\n' => return at,
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            _ if character == quote => return at + 1,
            _ => {}
        }
    }
    rest.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn find(text: &str, name: &str) -> Setting {
        settings(text).into_iter().find(|setting| setting.name == name).unwrap()
    }

    #[test]
    fn both_languages_are_read() {
        let groovy = "android {\n  // minSdkVersion 1\n  defaultConfig {\n    applicationId \"example.a\"\n    minSdkVersion 24\n  }\n}";
        let kotlin = "android {\n  defaultConfig {\n    applicationId = \"example.a\"\n    minSdk = 24\n    targetSdk = libs.versions.target.get().toInt()\n  }\n}";
        for (text, name) in [(groovy, "minSdkVersion"), (kotlin, "minSdk")] {
            assert_eq!(find(text, "applicationId").value, SettingValue::Text("example.a".to_owned()));
            let level = find(text, name);
            assert_eq!(level.value, SettingValue::Number(24));
            assert_eq!(level.blocks, ["android", "defaultConfig"]);
        }
        let expression = find(kotlin, "targetSdk").value;
        assert_eq!(expression, SettingValue::Expression("libs.versions.target.get".to_owned()));
    }

    #[test]
    fn what_is_put_together_is_an_expression() {
        let text = "applicationId \"example.$flavor\"\nid(\"a.b\") version \"1\"\nsrcFile 'x/A.xml'";
        assert_eq!(find(text, "applicationId").value, SettingValue::Expression("\"example.$flavor\"".to_owned()));
        assert_eq!(find(text, "id").value, SettingValue::Text("a.b".to_owned()));
        assert_eq!(find(text, "srcFile").span.of(text), "srcFile 'x/A.xml'");
    }

    #[test]
    fn broken_text_ends_the_reading_and_nothing_else() {
        assert!(settings("a { \"open\n/* never closed").is_empty());
        assert_eq!(settings("}}} x 1").len(), 1);
    }
}
