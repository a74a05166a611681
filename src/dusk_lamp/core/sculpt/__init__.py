"""The sculpt: read it, mend it, stand it up, and lay out the working surface that light falls on."""
