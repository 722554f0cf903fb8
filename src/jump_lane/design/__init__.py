"""From what a file asks to every value of a converter: a page's lines evaluated over all corners, with the parts that the file names."""
