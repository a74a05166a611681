"""From coats to what a painter does, one thing after another: steps, cards, order, times, tasks, cautions."""
