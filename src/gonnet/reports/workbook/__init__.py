"""Drawing layouts as workbooks (XLSX), and filling in workbooks of the user's own."""
