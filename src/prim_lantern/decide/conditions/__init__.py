"""What one person may do, as a condition on items: for whoever keeps them in a table of their own.

It is the reference once more, read not for one item but for all at once: what is known of the
person, the moment and the place of an item is worked out, and what is left is a formula about its
kind, state, authors and categories. `formula` is that language, `saying` says the reference in it
for one region of the tree, and `regions` tells the regions apart.
"""
