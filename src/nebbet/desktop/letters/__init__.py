"""The place where letters are written: the pile, the paper, the particulars."""
