"""Words: names from templates, proposals of category and tags, the search language."""
