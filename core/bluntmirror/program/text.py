"""A program file as lines: line ends made one, numbers of programs and blocks indexed, plain lines scanned."""

from __future__ import annotations

import re
from functools import lru_cache

import numpy as np

from .pose_text import reader_of
from .reader import Block, Unreadable, block_of, read_block

SCAN_FROM_LINES = 2_000  # below this, loading the compiled scanner costs more than it saves
_COMMENT_LINE = re.compile(rb"^[ \t]*/?\d?[ \t]*(?:[Nn][ \t]*\d+[ \t]*)?(?:\(|;)", re.M)
_O_LINE = re.compile(rb"^[ \t]*/?[ \t]*[Oo:][ \t]*(\d{1,8})", re.M)


@lru_cache(maxsize=100_000)
def _read_line(line: str, o_words: bool) -> Block | Unreadable:
    """Lines come again: within a program, and with every check of a program that is being edited."""
    try:
        return read_block(line, o_words)
    except Unreadable as error:
        return error


class ProgramText:
    """One file of program text. `flags` and the word columns are there only for files long enough to be scanned."""

    def __init__(self, name: str, data: bytes, o_words: bool = False) -> None:
        self.name = name
        self.o_words = o_words
        if data.startswith(b"\xef\xbb\xbf"):
            data = data[3:]
        # A lone CR ends a line too: some senders write nothing else, and the file must not become one line.
        self.faults: dict[int, str] = {}  # of a program of poses: lines that cannot be read, and why
        as_blocks = reader_of(name)
        if as_blocks is not None:
            data, self.faults = as_blocks(data)
        self.data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        raw = np.frombuffer(self.data, np.uint8)
        ends = np.flatnonzero(raw == 10) + 1
        if not len(ends) or ends[-1] != len(raw):
            ends = np.append(ends, len(raw))
        self.line_begin = np.concatenate([[0], ends]).astype(np.int64)
        if len(raw) == 0:
            self.line_begin = np.zeros(1, np.int64)
        self.flags: np.ndarray | None = None
        self._block = lru_cache(maxsize=200_000)(self._read)
        self._starts: dict[int, int] | None = None

    def __len__(self) -> int:
        return len(self.line_begin) - 1

    def line(self, index: int) -> str:
        """The line's text without its end; `index` counts from 0."""
        return self.data[self.line_begin[index] : self.line_begin[index + 1]].decode("latin-1").rstrip("\n")

    def block(self, index: int) -> Block | Unreadable:
        return self._block(index)

    def columns(self, index: int) -> tuple[list[int], list[float], list[int]] | None:
        """Letters, values and decimals of a line that the scanner took; None for any other."""
        if self.flags is None or self.flags[index] != 1:
            return None
        begin, end = int(self.word_begin[index]), int(self.word_begin[index + 1])
        return self.letters[begin:end].tolist(), self.values[begin:end].tolist(), self.decimals[begin:end].tolist()

    def _read(self, index: int) -> Block | Unreadable:
        if index in self.faults:
            return Unreadable(self.faults[index], 1)
        if self.flags is not None and self.flags[index] == 1:
            begin, end = int(self.word_begin[index]), int(self.word_begin[index + 1])
            columns = (
                self.letters[begin:end].tolist(),
                self.values[begin:end].tolist(),
                self.decimals[begin:end].tolist(),
            )
            return block_of(*columns)
        return _read_line(self.line(index), self.o_words)

    def scan(self) -> None:
        """Fill the word columns (see `scan_kernel`)."""
        from ..compiled import compile_kernels
        from .scan_kernel import scan

        compile_kernels()

        raw = np.frombuffer(self.data, np.uint8)
        folded = raw & 0xDF
        most_words = int(np.count_nonzero((folded >= 65) & (folded <= 90))) + 1
        self.flags = np.zeros(len(self), np.uint8)
        self.word_begin = np.zeros(len(self) + 1, np.int64)
        self.letters = np.zeros(most_words, np.uint8)
        self.values = np.zeros(most_words, np.float64)
        self.decimals = np.zeros(most_words, np.int8)
        scan(raw, self.line_begin, self.flags, self.word_begin, self.letters, self.values, self.decimals)
        # How many lines from here on the kernel can read without a stop.
        stops = np.append(np.flatnonzero(self.flags == 2), len(self))
        self.run_end = stops[np.searchsorted(stops, np.arange(len(self)))]

    def program_starts(self) -> dict[int, int]:
        """Program number → index of its O line."""
        if self._starts is None:
            self._starts = {}
            if not self.o_words:
                for match in _O_LINE.finditer(self.data):
                    line = int(np.searchsorted(self.line_begin, match.start(1), side="right")) - 1
                    self._starts.setdefault(int(match[1]), line)
        return self._starts

    def lines_begun_by_comments(self, first: int, last: int) -> list[int]:
        """Indices of the lines from `first` up to `last` that begin with a comment, behind a block number at most."""
        found = _COMMENT_LINE.finditer(
            self.data, int(self.line_begin[first]), int(self.line_begin[min(last, len(self))])
        )
        return [int(np.searchsorted(self.line_begin, match.start(), side="right")) - 1 for match in found]

    def program_around(self, index: int) -> range:
        """The lines of the program that a line stands in: from its O line to the next one."""
        begins = sorted(self.program_starts().values())
        first = max((line for line in begins if line <= index), default=0)
        return range(first, min((line for line in begins if line > index), default=len(self)))
