"""Tests ask kernels directly, and much: they are compiled from the start."""

from bluntmirror.compiled import compile_kernels

compile_kernels()
