"""A document before it is drawn: texts filled, rows sorted and totalled, values beside their texts, no format yet."""
