"""The features of a plan, a folder each: wishes → change of the target, coats, words, pictures."""
