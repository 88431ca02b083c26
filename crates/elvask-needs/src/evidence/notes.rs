//! The notes of a package: fragments in code, names in sentences, lists and tables, and what the words around them say.
//!
//! A wrong reading is worse than a missed one: what the words leave open is doubtful and counts for nothing.

mod mentions;
mod tables;
mod texts;

use elvask_platform::{Kind, Platform, Strength};
use pulldown_cmark::{CodeBlockKind, Event, HeadingLevel, Options, Parser, Tag, TagEnd};
use texts::{
    Heading, Prose, between, kind_of, last_clause, last_verdict, learned, names_other_rules, parallel_chapters,
    unescaped, without_tags,
};

use self::mentions::{HELPING, Mention, NAMING, OF_THE_LAST, SPEAKING_BACK, mentions};
use super::Learned;
use super::fragment::{Piece, Thing, obey, pieces_of};
use super::gather::Found;
use super::prose::{
    Section, Verdict, Versions, bounds, clauses, section, speaks_of_extension, speaks_of_the_app, verdict,
    versions_meant,
};
use super::shown::{Notes, Shown};
use crate::conditions::Range;
use crate::requirement::{Citation, EvidenceKind, GradleLine, Need, When};
use crate::template::is_unfilled_purpose;

/// How much of what was said last is looked at for the name of an attribute, in bytes.
const RECENT: usize = 800;

/// The longest text of an example that is remembered, in bytes.
const MAX_EXAMPLE: usize = 300;

/// A list with more keys than this that is shown whole is an app's own.
const WHOLE_LIST: usize = 6;

/// Reads notes in Markdown; `shown` is the name of the file in citations.
pub(super) fn read(text: &str, shown: &str, version: Option<&str>, found: &mut Found) {
    let options = Options::ENABLE_TABLES | Options::ENABLE_GFM;
    let mut reader = Reader {
        source: text,
        shown,
        found,
        headings: Vec::new(),
        intro: String::new(),
        recent: String::new(),
        groups: 0,
        last: Vec::new(),
        version: version.and_then(|version| semver::Version::parse(version).ok()),
        chapters: parallel_chapters(text),
    };
    reader.run(Parser::new_ext(text, options).into_offset_iter());
}

struct Reader<'t, 'f> {
    source: &'t str,
    shown: &'t str,
    found: &'f mut Found,
    headings: Vec<Heading>,
    /// What was said last, before a fragment or a list.
    intro: String,
    /// What was said lately.
    recent: String,
    /// How many groups of alternatives there are so far.
    groups: usize,
    /// What was named last: by the last clause that names anything, or by the last fragment.
    last: Vec<(Kind, String)>,
    /// The installed version, where it is known.
    version: Option<semver::Version>,
    /// The chapters of which each sets up another part of the package.
    chapters: Vec<&'t str>,
}

/// What stands around a text.
#[derive(Debug, Clone, Default)]
struct Around {
    /// What was said before the list that the text is in.
    list_intro: Option<String>,
    /// The cells over the table that the text is in.
    table_head: Option<String>,
    /// What a column of the table says about whether it is required.
    column: Option<Verdict>,
}

#[derive(Debug, Default)]
struct Table {
    head: Vec<String>,
    row: Vec<Prose>,
    in_head: bool,
}

impl Reader<'_, '_> {
    // In one piece: one arm for each event of a text, which share what is open.
    fn run<'e>(&mut self, events: impl Iterator<Item = (Event<'e>, std::ops::Range<usize>)>) {
        let mut prose = Prose::default();
        let mut code: Option<(String, Prose)> = None;
        let mut html: Option<Prose> = None;
        let mut heading = None;
        let mut lists: Vec<String> = Vec::new();
        let mut table: Option<Table> = None;
        for (event, range) in events {
            match event {
                Event::Start(Tag::Heading { level, .. }) => heading = Some(level),
                Event::End(TagEnd::Heading(_)) => {
                    if let Some(level) = heading.take() {
                        self.heading(level, prose.take().text);
                    }
                }
                Event::Start(Tag::List(_)) => {
                    self.flush(&mut prose, &lists);
                    lists.push(self.intro.clone());
                }
                Event::End(TagEnd::List(_)) => {
                    lists.pop();
                }
                Event::End(TagEnd::Paragraph | TagEnd::Item) => self.flush(&mut prose, &lists),
                Event::Start(Tag::CodeBlock(kind)) => {
                    self.flush(&mut prose, &lists);
                    let tag = match kind {
                        CodeBlockKind::Fenced(tag) => tag.into_string(),
                        CodeBlockKind::Indented => String::new(),
                    };
                    code = Some((tag, Prose::default()));
                }
                Event::End(TagEnd::CodeBlock) => {
                    if let Some((tag, code)) = code.take() {
                        self.fragment(&code, &tag);
                    }
                }
                Event::Start(Tag::Table(_)) => table = Some(Table::default()),
                Event::Start(Tag::TableHead) => {
                    if let Some(table) = &mut table {
                        table.in_head = true;
                    }
                }
                Event::End(TagEnd::TableHead) => {
                    if let Some(table) = &mut table {
                        table.in_head = false;
                        table.head = table.row.drain(..).map(|cell| cell.text.trim().to_lowercase()).collect();
                    }
                }
                Event::End(TagEnd::TableCell) => {
                    if let Some(table) = &mut table {
                        table.row.push(prose.take());
                    }
                }
                Event::End(TagEnd::TableRow) => {
                    if let Some(table) = &mut table {
                        let row = std::mem::take(&mut table.row);
                        self.row(&table.head, &row);
                    }
                }
                Event::End(TagEnd::Table) => table = None,
                Event::Start(Tag::HtmlBlock) => {
                    self.flush(&mut prose, &lists);
                    html = Some(Prose::default());
                }
                Event::End(TagEnd::HtmlBlock) => {
                    if let Some(html) = html.take() {
                        self.html(&html);
                    }
                }
                Event::Html(text) => match &mut html {
                    Some(html) => html.push(&text, range.start),
                    None => prose.push(&text, range.start),
                },
                Event::Text(text) => match &mut code {
                    Some((_, code)) => code.push(&text, range.start),
                    None => prose.push(&text, range.start),
                },
                Event::Code(text) => {
                    let inside = range.start
                        + self.source.get(range.clone()).map_or(0, |raw| raw.len() - raw.trim_start_matches('`').len());
                    prose.push("`", range.start);
                    prose.push(&text, inside);
                    prose.push("`", range.end.saturating_sub(1));
                }
                Event::InlineHtml(text) if text.starts_with("<br") => prose.push("\n", range.start),
                Event::InlineHtml(text) if text.starts_with("<code") || text.starts_with("</code") => {
                    prose.push("`", range.start);
                }
                // An element that nobody put into code is read as one all the same.
                Event::InlineHtml(text) if text.contains("android:name") => {
                    prose.push("`", range.start);
                    prose.push(&text, range.start);
                    prose.push("`", range.end.saturating_sub(1));
                }
                Event::SoftBreak => prose.push("\n", range.start),
                Event::HardBreak => prose.push("\n", range.start),
                _ => {}
            }
        }
        self.flush(&mut prose, &lists);
    }

    fn heading(&mut self, level: HeadingLevel, text: String) {
        self.headings.retain(|heading| heading.level < level);
        // The name of the package says nothing about what stands below it.
        let section =
            if level == HeadingLevel::H1 && self.headings.is_empty() && !text.to_lowercase().contains("extension") {
                Section::Other
            } else {
                section(&text)
            };
        self.intro.clone_from(&text);
        self.recent.clear();
        self.headings.push(Heading::new(level, section, text));
    }

    fn section(&self) -> Section {
        let has = |wanted: Section| self.headings.iter().any(|heading| heading.section == wanted);
        let whole = [Section::Extension, Section::Elsewhere].into_iter().find(|section| has(*section));
        // Of the others the nearest heading that says anything counts.
        let nearest = || self.headings.iter().rev().map(|heading| heading.section).find(|one| *one != Section::Other);
        match whole.or_else(nearest) {
            Some(Section::Aside) => Section::Elsewhere,
            found => found.unwrap_or(Section::Other),
        }
    }

    /// Says whether what is said is about an extension and not about the app itself.
    fn is_of_extension(&self, text: &str) -> bool {
        (self.section() == Section::Extension || speaks_of_extension(text)) && !speaks_of_the_app(text)
    }

    /// Says whether a heading above makes what stands below optional.
    fn under_optional(&self) -> bool {
        self.headings.iter().any(|heading| self.chapters.iter().any(|chapter| *chapter == heading.text.trim()))
            || self.headings.iter().any(Heading::makes_optional)
    }

    /// Says whether words, or a heading above, speak of other versions of the package than the installed one. Where that is not
    /// known, what is said of older ones is not said of it.
    fn is_of_other_version(&self, words: &str) -> bool {
        let above = self.headings.iter().map(|heading| heading.text.as_str());
        above.chain([words]).filter_map(versions_meant).any(|meant| match &self.version {
            Some(version) => !meant.holds(version),
            None => matches!(meant, Versions::Below(..)),
        })
    }

    /// Returns what headings, a list and a table around a text say, in small letters.
    fn said_around(&self, around: &Around) -> String {
        let above = self.headings.iter().map(|heading| heading.lower.as_str()).collect::<Vec<_>>().join(" ");
        let list = around.list_intro.as_deref().unwrap_or_default().to_lowercase();
        format!("{above} {list} {}", around.table_head.as_deref().unwrap_or_default())
    }

    /// Judges what was said in a paragraph or an entry of a list.
    fn flush(&mut self, prose: &mut Prose, lists: &[String]) {
        let prose = prose.take();
        if prose.text.trim().is_empty() {
            return;
        }
        let around = Around { list_intro: lists.last().cloned(), ..Around::default() };
        self.prose(&prose, &around);
        self.intro = prose.text.trim().to_owned();
        self.recent.push_str(&self.intro);
        let cut = self.recent.len().saturating_sub(RECENT);
        let cut = (cut..self.recent.len()).find(|at| self.recent.is_char_boundary(*at)).unwrap_or(0);
        self.recent.drain(..cut);
    }

    fn row(&mut self, head: &[String], row: &[Prose]) {
        let mut whole = Prose::default();
        let mut column = None;
        for (at, cell) in row.iter().enumerate() {
            let over = head.get(at).map(String::as_str).unwrap_or_default();
            column = tables::says_required(over, &cell.text).unwrap_or(column);
            for (index, (start, place)) in cell.starts.iter().enumerate() {
                let end = cell.starts.get(index + 1).map_or(cell.text.len(), |(next, _)| *next);
                whole.push(cell.text.get(*start..end).unwrap_or_default(), *place);
            }
            whole.push(" | ", cell.starts.last().map_or(0, |(_, place)| *place));
        }
        let around = Around { table_head: Some(head.join(" ")), column, list_intro: None };
        self.prose(&whole, &around);
    }

    /// Judges a text clause by clause.
    fn prose(&mut self, prose: &Prose, around: &Around) {
        let table = around.table_head.is_some();
        let said_around = [&around.list_intro, &around.table_head].into_iter().flatten();
        // Most paragraphs name nothing, and need not even be parted.
        let helped = self.headings.iter().any(|heading| heading.helps)
            || said_around.into_iter().any(|text| HELPING.may_be_in(text));
        let naming = NAMING.places(&prose.text);
        let names = helped || !naming.is_empty();
        let speaks_back = || [&SPEAKING_BACK, &OF_THE_LAST].iter().any(|words| words.may_be_in(&prose.text));
        if !names && (self.last.is_empty() || !speaks_back()) {
            return;
        }
        let parts = if table { vec![(0, prose.text.as_str())] } else { clauses(&prose.text) };
        let mut context = None;
        for (start, clause) in parts {
            self.look_back(clause);
            // Nor do most clauses of the others.
            let first = naming.get(naming.partition_point(|word| word.start < start));
            if !helped && first.is_none_or(|word| word.end > start + clause.len()) {
                debug_assert!(mentions(clause, &self.said_around(around)).is_empty(), "{clause}");
                continue;
            }
            let mentioned = mentions(clause, context.get_or_insert_with(|| self.said_around(around)));
            if mentioned.is_empty() {
                continue;
            }
            let judged = self.judge(clause, around);
            let group = self.alternatives(clause, &mentioned);
            self.last = mentioned.iter().map(|mention| (mention.need.kind(), mention.name.clone())).collect();
            for mention in mentioned {
                let place = prose.place(start + mention.at);
                let alternative = group.clone().filter(|_| mention.can_be_alternative());
                self.mention(mention, place, clause, judged, alternative);
            }
        }
    }

    /// Takes back what was said last where a clause that names nothing speaks of it and makes it optional: "This should only
    /// be used if …", "The last line is optional", "If that entry is not added, …".
    fn look_back(&mut self, clause: &str) {
        if self.last.is_empty() {
            return;
        }
        let lower = clause.trim().to_lowercase();
        let of_last_line = OF_THE_LAST.words.iter().any(|words| lower.contains(words));
        let speaks_of_it = SPEAKING_BACK.words.iter().any(|start| lower.starts_with(start));
        if !(of_last_line || speaks_of_it) || verdict(clause) != Verdict::Optional {
            return;
        }
        let last = if of_last_line { self.last.split_off(self.last.len() - 1) } else { std::mem::take(&mut self.last) };
        self.found.soften(&last);
    }

    /// Judges a clause with what stands around it.
    fn judge(&self, clause: &str, around: &Around) -> Verdict {
        if let Some(column) = around.column {
            return column;
        }
        let own = verdict(clause);
        let intro = around.list_intro.as_deref().map_or(Verdict::Open, last_verdict);
        if own == Verdict::Not || intro == Verdict::Not {
            return Verdict::Not;
        }
        if own == Verdict::Optional || intro == Verdict::Optional || self.under_optional() {
            return Verdict::Optional;
        }
        let head = around.table_head.as_deref().unwrap_or_default();
        let options = ["option", "prop", "param", "argument", "field"].iter().any(|word| head.starts_with(word));
        if own == Verdict::Needed || intro == Verdict::Needed {
            // What is said of one function or option is needed by those who use it.
            let of_one = options || self.section() == Section::Reference;
            return if of_one { Verdict::Optional } else { Verdict::Needed };
        }
        let of_table = !options
            && ["permission", "key", "plist", "usage", "requir", "manifest"].iter().any(|word| head.contains(word));
        if of_table || (self.section() == Section::Setup && !options) { Verdict::Needed } else { Verdict::Open }
    }

    /// Returns the word for a group of alternatives where a clause states one.
    fn alternatives(&mut self, clause: &str, mentioned: &[Mention]) -> Option<String> {
        let several = mentioned.iter().filter(|mention| mention.can_be_alternative()).count() > 1;
        let lower = clause.to_lowercase();
        let said = ["either ", "one of ", "any of "].iter().any(|word| lower.contains(word))
            || lower.contains("` or `")
            || ["` or the `", "\" or \"", "” or “", "** or **"].iter().any(|or| lower.contains(or));
        (several && said).then(|| {
            self.groups += 1;
            format!("notes-{}", self.groups)
        })
    }

    fn citation(&self, at: usize) -> Citation {
        Citation::in_text(EvidenceKind::Readme, self.shown, self.source, at)
    }

    fn mention(&mut self, mention: Mention, place: usize, clause: &str, judged: Verdict, group: Option<String>) {
        let extension = self.is_of_extension(clause);
        if judged == Verdict::Not {
            return self.found.deny(mention.need.kind(), &mention.name);
        }
        if extension && mention.need.platform() == Platform::Ios {
            return;
        }
        if self.is_of_other_version(clause) {
            return;
        }
        let citation = self.citation(place);
        let says = bounds(clause, mention.need.platform()) != (When::default(), None);
        let heading = self.headings.last().map_or("", |heading| heading.text.as_str());
        let words = if says { clause } else { heading }.to_owned();
        let learned = learned(mention.name, mention.need, judged, &words, group, citation);
        match judged {
            Verdict::Open => self.found.doubt(learned, "the notes name it and do not say whether it is needed"),
            _ if self.section() == Section::Elsewhere => {
                self.found.doubt(learned, "the notes name it in a part that is not about setting up");
            }
            _ if mention.weak => self.found.doubt(learned, "the notes do not name it in full"),
            _ => self.found.add(learned),
        }
    }

    /// Judges a fragment with what was said before it.
    // In one piece: what was said before a fragment decides, in this order.
    fn fragment(&mut self, code: &Prose, tag: &str) {
        let text = code.text.as_str();
        let pieces = pieces_of(text, tag);
        if pieces.elsewhere.is_some() {
            return self.comments_of_script(code);
        }
        let intro = self.intro.clone();
        let lower = intro.to_lowercase();
        let choose = ["either ", "one of ", "any of the following", "choose one", "pick one"]
            .iter()
            .any(|word| lower.contains(word));
        // Most fragments name nothing, and there is nothing that could be taken back.
        let names = pieces.pieces.iter().any(|piece| matches!(piece.thing, Thing::Need { .. }));
        if !names && !choose && self.last.is_empty() {
            return;
        }
        let said = last_verdict(&intro);
        if said == Verdict::Not {
            return;
        }
        let (section, extension) = (self.section(), self.is_of_extension(&intro));
        let under_optional = self.under_optional();
        let keys = pieces.pieces.iter().filter(|piece| kind_of(piece) == Some(Kind::Plist)).count();
        let whole = text.contains("<plist") && keys > WHOLE_LIST;
        let group = choose.then(|| {
            self.groups += 1;
            format!("notes-{}", self.groups)
        });
        let foreign = names_other_rules(&intro);
        let mut last_group: Option<String> = None;
        let count = pieces.pieces.len();
        self.last.clear();
        // A comment over several lines that speaks of choosing holds for all of them.
        let mut choosing = false;
        // A condition anywhere in what leads to the fragment is a condition on it.
        let conditional = clauses(&intro).iter().any(|(_, clause)| verdict(clause) == Verdict::Optional);
        let said = if conditional && said == Verdict::Needed { Verdict::Optional } else { said };
        let older = self.is_of_other_version(&intro);
        if older {
            return;
        }
        for mut piece in pieces.pieces {
            obey(&mut piece, &intro);
            let Thing::Need { name, need } = piece.thing else { continue };
            let comment = piece.comment.as_deref().unwrap_or_default();
            let mut of_comment = verdict(comment);
            choosing |= of_comment == Verdict::Optional
                && ["keep", "pick", "choose", "only the", "those"]
                    .iter()
                    .any(|word| comment.to_lowercase().contains(word));
            if choosing && of_comment == Verdict::Open {
                of_comment = Verdict::Optional;
            }
            let skipped = piece.removed
                || of_comment == Verdict::Not
                || extension && need.platform() == Platform::Ios
                || piece.incidental && !self.recent.contains(&name)
                || whole && need.kind() == Kind::Plist
                || foreign && matches!(need, Need::Gradle { line: GradleLine::KeepRule, .. });
            if skipped {
                continue;
            }
            let alternative = matches!(need.kind(), Kind::Permission | Kind::Usage);
            let mut own_group = group.clone().filter(|_| alternative && count > 1);
            // A comment that says "or" makes what stands below it an alternative to what stands above.
            let or = comment.to_lowercase();
            if (or == "or" || or.starts_with("or ") || or.starts_with("or:")) && alternative {
                own_group = last_group.clone();
            } else if or.starts_with("either") && alternative {
                self.groups += 1;
                own_group = Some(format!("notes-{}", self.groups));
            }
            last_group.clone_from(&own_group);
            // What is said of one function, or shown in an example of one, is needed by those who use it.
            let of_one = section == Section::Reference;
            let judged = if of_comment == Verdict::Optional || said == Verdict::Optional || under_optional || of_one {
                Verdict::Optional
            } else {
                Verdict::Needed
            };
            // A comment that calls a line required outweighs what is said of the whole.
            let firm = of_comment == Verdict::Needed && comment.to_lowercase().contains("requir") && !under_optional;
            let judged = if firm { Verdict::Needed } else { judged };
            let citation = self.citation(code.place(piece.span.start));
            let says = |words: &str| bounds(words, need.platform()) != (When::default(), None);
            let heading = self.headings.last().map_or("", |heading| heading.text.as_str()).to_owned();
            let words = match (says(comment), says(last_clause(&intro))) {
                (true, _) => comment,
                (false, true) => last_clause(&intro),
                _ => heading.as_str(),
            };
            self.last.push((need.kind(), name.clone()));
            let mut learned = learned(name, need, judged, words, own_group, citation);
            let text = piece.text.filter(|text| text.len() <= MAX_EXAMPLE && !is_unfilled_purpose(text));
            learned.shown.texts.extend(text.filter(|_| learned.kind() == Kind::Usage));
            if section == Section::Elsewhere {
                self.found.doubt(learned, "the notes show it in a part that is not about setting up");
            } else {
                self.found.add(learned);
            }
        }
    }

    /// Looks for full names in the comments of a script or of the configuration of another tool.
    fn comments_of_script(&mut self, code: &Prose) {
        let mut start = 0;
        for line in code.text.split_inclusive('\n') {
            let at = start;
            start += line.len();
            let content = line.trim_start();
            let offset = at + line.len() - content.len();
            let Some(comment) = ["//", "#", "/*", "* "].iter().find_map(|sign| content.strip_prefix(sign)) else {
                continue;
            };
            if !NAMING.may_be_in(comment) || verdict(comment) != Verdict::Needed {
                continue;
            }
            for mention in mentions(comment, "").into_iter().filter(|mention| !mention.weak) {
                let place = code.place(offset + content.len() - comment.len() + mention.at);
                self.mention(mention, place, comment, Verdict::Needed, None);
            }
        }
    }

    /// Reads markup of pages among Markdown.
    fn html(&mut self, html: &Prose) {
        let text = html.text.as_str();
        if text.trim_start().starts_with("<!--") {
            return;
        }
        let lower = text.to_lowercase();
        if let Some(summary) = between(&lower, "<summary>", "</summary>") {
            let plain = without_tags(text.get(summary.clone()).unwrap_or_default());
            self.intro.clone_from(&plain);
        }
        let mut at = 0;
        let mut prose_from = 0;
        while let Some(open) = lower.get(at..).and_then(|rest| rest.find("<pre")).map(|open| open + at) {
            self.plain_html(html, prose_from, open);
            let inner = lower.get(open..).and_then(|rest| rest.find('>')).map_or(text.len(), |end| open + end + 1);
            let close = lower.get(inner..).and_then(|rest| rest.find("</pre>")).map_or(text.len(), |end| inner + end);
            let mut code = Prose::default();
            let raw = text.get(inner..close).unwrap_or_default();
            // Line by line, so that places stay right though letters are written out.
            let mut offset = inner;
            for line in raw.split_inclusive('\n') {
                let plain = line.replace("<code>", "").replace("</code>", "");
                let plain = if plain.starts_with("<code ") {
                    plain.split_once('>').map_or("", |(_, rest)| rest).to_owned()
                } else {
                    plain
                };
                code.push(&unescaped(&plain), html.place(offset));
                offset += line.len();
            }
            self.fragment(&code, "");
            at = close.max(inner);
            prose_from = (close + 6).min(text.len());
        }
        let rest = text.get(prose_from..).unwrap_or_default();
        if prose_from == 0
            && (rest.contains("<uses-permission") || rest.contains("<key>") || rest.contains("<intent-filter"))
        {
            let mut code = Prose::default();
            let mut offset = 0;
            for line in rest.split_inclusive('\n') {
                code.push(line, html.place(offset));
                offset += line.len();
            }
            return self.fragment(&code, "xml");
        }
        self.plain_html(html, prose_from, text.len());
    }

    /// Judges the words of a stretch of markup, row by row where it is a table.
    fn plain_html(&mut self, html: &Prose, from: usize, to: usize) {
        let mut offset = from;
        for line in html.text.get(from..to).unwrap_or_default().split_inclusive('\n') {
            let plain = without_tags(&line.replace("<code>", "`").replace("</code>", "`"));
            if !plain.trim().is_empty() {
                let mut prose = Prose::default();
                prose.push(plain.trim(), html.place(offset));
                self.prose(&prose, &Around::default());
                if !line.contains("<summary") {
                    self.intro = plain.trim().to_owned();
                }
            }
            offset += line.len();
        }
    }
}
