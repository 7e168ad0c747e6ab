"""How many people may do what to how many items, without asking for each pair."""
