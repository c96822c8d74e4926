"""Parts: values as marked, standard values, what replaces what, what may bridge the mains."""
