def preview() -> None:
    '''x'''
