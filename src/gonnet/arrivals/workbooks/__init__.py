"""Workbooks (XLSX, ECMA-376) that other systems made: whose each sheet or row is, and parts with nothing of others."""
