"""Ship over HTTP: sheets, the run and its report."""
