"""Drawing sheets: views, sections and dimensions on paper, and the files they are given away in."""
