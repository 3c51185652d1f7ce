"""What stands on pages of a PDF, told to whoever does not see it: paragraphs, headings, tables with rows and heads, drawings
with words for them; frames, lines and feet of pages are told to be none of it (ISO 32000-1, 14.7 and 14.8; PDF/UA-1, 7).

The library marks pictures alone and knows no element within another, so that its tree of elements is built here.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pikepdf
from fpdf import FPDF
from fpdf.output import OutputProducer
from fpdf.prefs import ViewerPreferences
from fpdf.structure_tree import StructElem, StructureTreeBuilder
from fpdf.syntax import PDFObject

__all__ = ["Tagged"]

_WORDS = frozenset(("P", "H1", "H2", "TH", "TD", "Figure", "Link"))
"""Elements that hold what stands on the page; all others hold elements."""
_WITHIN = {"TR": "TD"}
"""What is made of words that come right into an element that holds none; P everywhere else."""


class _Tag(StructElem):
    """One element. kids: elements, or (page, number on it) of what stands there."""

    __slots__ = ("_kids", "_kind", "_pages", "_scope")

    def __init__(
        self, kind: str, parent: PDFObject, page: int, title: str = "", alt: str = "", scope: str = ""
    ) -> None:
        super().__init__(f"/{kind}", parent, [], page, title or None, alt or None)
        self._kind = kind
        self._kids: list[_Tag | tuple[int, int]] = []
        self._scope = scope
        self._pages: list[Any] = []

    def _build_obj_dict(self, security_handler: Any = None) -> dict[str, object]:
        out: dict[str, object] = {"/Type": "/StructElem", "/S": self.s, "/P": self.p.ref}
        home = self.page_number()
        if home and any(not isinstance(kid, _Tag) for kid in self._kids):
            out["/Pg"] = self._pages[home - 1].ref
        out["/K"] = f"[{' '.join(self._said(kid, home) for kid in self._kids)}]"
        for name, text in (("/T", self.t), ("/Alt", self.alt)):
            if text is not None:
                out[name] = text.serialize(security_handler, self.id)
        if self._scope:
            out["/A"] = f"<</O /Table /Scope /{self._scope}>>"
        return out

    def _said(self, kid: _Tag | tuple[int, int], home: int | None) -> str:
        if isinstance(kid, _Tag):
            return kid.ref
        page, number = kid
        return str(number) if page == home else f"<</Type /MCR /Pg {self._pages[page - 1].ref} /MCID {number}>>"


class _Tree(StructureTreeBuilder):
    """All elements of a document."""

    def __init__(self) -> None:
        super().__init__()
        self.root = _Tag("Document", self.struct_tree_root, 0)
        self.struct_tree_root.k.clear()
        self.struct_tree_root.k.append(self.root)

    def element(self, kind: str, parent: _Tag, page: int, title: str = "", alt: str = "", scope: str = "") -> _Tag:
        """A new element, the last one of its parent."""
        made = _Tag(kind, parent, page, title, alt, scope)
        parent._kids.append(made)
        return made

    def number(self, page: int, of: _Tag) -> tuple[int, int]:
        """(number of what stands next on a page, number of the page in the tree)."""
        at = self.spid_per_page_number.setdefault(page, len(self.spid_per_page_number))
        marks = self.struct_tree_root.parent_tree.nums[at]
        marks.append(of)
        of._kids.append((page, len(marks) - 1))
        return len(marks) - 1, at

    # As the library asks, for pictures and links -------------------------------------------------------

    def next_mcid_for_page(self, page_number: int) -> int:
        at = self.spid_per_page_number.get(page_number)
        return len(self.struct_tree_root.parent_tree.nums[at]) if at is not None else 0

    def add_marked_content(
        self,
        page_number: int,
        struct_type: str,
        mcid: int | None = None,
        title: str | None = None,
        alt_text: str | None = None,
    ) -> tuple[StructElem, int]:
        made = self.element(struct_type.lstrip("/"), self.root, page_number, title or "", alt_text or "")
        if mcid is None:
            # A link is no content of its own: its words are marked where they stand.
            return made, self.spid_per_page_number.setdefault(page_number, len(self.spid_per_page_number))
        return made, self.number(page_number, made)[1]

    def empty(self) -> bool:
        return not self.root._kids

    def __iter__(self) -> Iterator[PDFObject]:
        yield self.struct_tree_root
        yield self.struct_tree_root.parent_tree
        waiting = [self.root]
        while waiting:
            one = waiting.pop()
            yield one
            waiting += [kid for kid in reversed(one._kids) if isinstance(kid, _Tag)]


class _Producer(OutputProducer):
    """Tells each element which pages there are."""

    def _add_pages(self, *given: Any, **named: Any) -> Any:
        self._made: list[Any] = super()._add_pages(*given, **named)
        return self._made

    def _add_structure_tree(self) -> PDFObject | None:
        for one in self.fpdf.struct_builder:
            if isinstance(one, _Tag):
                one._pages = self._made
        return super()._add_structure_tree()


class Tagged(FPDF):
    """Pages whose words and drawings are told for what they are. What is drawn beside words is told to be decoration."""

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self._tree = _Tree()
        self.struct_builder = self._tree
        self._within = [self._tree.root]
        self._marked = False
        self.viewer_preferences = ViewerPreferences(display_doc_title=True)

    def output(self, *given: Any, **named: Any) -> Any:
        """As the library's, with the tree of elements."""
        return super().output(*given, **({"output_producer_class": _Producer} | named))

    def packed(self) -> bytes:
        """The document with its objects packed: an element for each cell is small and there are many of them, and as they stand
        they would be sixteen times what is drawn."""
        plain = io.BytesIO(self.output())
        out = io.BytesIO()
        with pikepdf.open(plain) as document:
            document.save(out, object_stream_mode=pikepdf.ObjectStreamMode.generate, deterministic_id=True)
        return out.getvalue()

    @contextmanager
    def tagged(self, kind: str, *, title: str = "", alt: str = "", scope: str = "") -> Iterator[_Tag]:
        """An element of this kind, of all that comes within. A page may end in it. Within a drawing, or beside what the document
        says, there are none."""
        if self._marked:
            yield self._within[-1]
            return
        with self.inside(self._tree.element(kind, self._within[-1], self.page, title, alt, scope)) as made:
            yield made

    @contextmanager
    def inside(self, tag: _Tag) -> Iterator[_Tag]:
        """Go on in an element that was begun before."""
        self._within.append(tag)
        try:
            yield tag
        finally:
            self._within.pop()

    @contextmanager
    def drawing(self, alt: str) -> Iterator[None]:
        """One drawing with the words that stand for it, whatever lines and letters it is made of; on one page."""
        with self.tagged("Figure", alt=alt), self._mark():
            yield

    @contextmanager
    def beside(self) -> Iterator[None]:
        """What is no part of what the document says: a frame, a foot, heads that stand there again."""
        if self._marked:
            yield
            return
        self._out("/Artifact BMC")
        self._marked = True
        try:
            yield
        finally:
            self._marked = False
            self._out("EMC")

    @contextmanager
    def _mark(self) -> Iterator[None]:
        if self._marked:
            yield
            return
        of = self._within[-1]
        if of._kind not in _WORDS:
            of = self._tree.element(_WITHIN.get(of._kind, "P"), of, self.page)
        number, page = self._tree.number(self.page, of)
        self.pages[self.page].struct_parents = page
        self._out(f"{of.s} <</MCID {number}>> BDC")
        self._marked = True
        try:
            yield
        finally:
            self._marked = False
            self._out("EMC")

    # What the library puts on pages --------------------------------------------------------------------

    def _render_styled_text_line(self, text_line: Any, h: float | None = None, *given: Any, **named: Any) -> bool:
        if self._marked:
            return super()._render_styled_text_line(text_line, h, *given, **named)
        # A page ends before something is marked, not within.
        broke = self._perform_page_break_if_need_be(self.font_size if h is None else h)
        if not text_line.fragments:
            return super()._render_styled_text_line(text_line, h, *given, **named) or broke
        with self._mark():
            return super()._render_styled_text_line(text_line, h, *given, **named) or broke

    def line(self, *given: Any, **named: Any) -> Any:
        """A line, which says nothing by itself; so the shapes below."""
        with self.beside():
            return super().line(*given, **named)

    def rect(self, *given: Any, **named: Any) -> Any:
        """As the library's."""
        with self.beside():
            return super().rect(*given, **named)

    def circle(self, *given: Any, **named: Any) -> Any:
        """As the library's."""
        with self.beside():
            return super().circle(*given, **named)

    def image(self, name: Any, *given: Any, **named: Any) -> Any:
        """As the library's; a picture for which nobody has words is told to be one."""
        if self._marked:
            named = {key: value for key, value in named.items() if key not in ("title", "alt_text")}
        elif not named.get("alt_text"):
            named["alt_text"] = "picture"
        return super().image(name, *given, **named)

    def polyline(self, *given: Any, **named: Any) -> Any:
        """As the library's; so polygons."""
        with self.beside():
            return super().polyline(*given, **named)
