"""The table of Gather asked: columns in memory, queries, counts."""
