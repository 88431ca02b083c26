Pod::Spec.new do |s|
  s.name = 'curlew_dictation'
  s.version = '1.4.2'
  s.summary = 'Turns speech into field notes.'
  s.homepage = 'https://docs.marram.example/curlew_dictation'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
