"""Stack's rules: swapping sources, tuning layers, who is heard how much, performances, and what sets two versions apart."""
