Pod::Spec.new do |s|
  s.name = 'sanderling_inbox'
  s.version = '1.2.0'
  s.summary = 'Sends the log of the day by mail.'
  s.homepage = 'https://docs.marram.example/sanderling_inbox'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
