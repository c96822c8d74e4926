"""What a bench is to the rules: equipment and its limits, settings, recipes, movements."""
